#!/bin/sh
# Simulates classes of every lab, judges them and measures the verdicts against the truth.
# usage: bench/assess.sh [TEAMS] [SEED] [UNMODELLED]   (300 teams, seed 1, a share of 0.15 of the mistakes without a name)
# MIX=--even plants every kind as often as any other instead of as often as people make it; MIX=--pen plants slips of the pen
# in readings as often as people make them: copied wrongly into the sheet, or keyed wrongly into one calculation.
# Prints the account of each lab, then all labs together; files stay in $OUT (a temporary folder by default).
set -eu
cd "$(dirname "$0")/.."
teams=${1:-300} seed=${2:-1} unmodelled=${3:-0.15}
out=${OUT:-$(mktemp -d)} MIX=${MIX:-}
jurado=${JURADO:-target/release/jurado}
[ -x "$jurado" ] || cargo build --release -p jurado-cli
set --
for protocol in protocols/*.toml; do
    lab=$(basename "$protocol" .toml)
    "$jurado" simulate --protocol "$protocol" --teams "$teams" --seed "$seed" --slips 0.6 --unmodelled "$unmodelled" $MIX --out "$out/$lab"
    "$jurado" judge --protocol "$protocol" --submissions "$out/$lab/submissions.csv" --out "$out/$lab/verdicts.json"
    printf '\n== %s: ' "$lab"
    "$jurado" assess --truth "$out/$lab/truth.json" --verdicts "$out/$lab/verdicts.json"
    set -- "$@" --truth "$out/$lab/truth.json" --verdicts "$out/$lab/verdicts.json"
done
printf '\n== all labs: '
"$jurado" assess "$@"
