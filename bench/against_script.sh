#!/bin/sh
# The ratio of `jurado judge` (diagnosis and JSON) to a plain script that does only the arithmetic of its 17 results with
# correlated uncertainties and judges nothing. Both run in turn, five times.
#   bench/against_script.sh SCRIPT [TABLES]      SCRIPT prints "… ms per table" for a number of tables
set -e
cd "$(dirname "$0")/.."
script=${1:?name the script to measure against}
tables=${2:-10000}
for round in 1 2 3 4 5; do
  plain=$(python3 "$script" 2000 | sed 's/ ms.*//')
  ours=$(python3 bench/throughput.py "$tables")
  echo "round $round: script $plain ms a table; jurado $ours"
  echo "$plain $ours" >>/tmp/against.$$
done
awk '{ s = $1; n = $2; for (i = 1; i <= NF; i++) if ($i == "s,") t = $(i - 1); r = 1000 * t / n / s; print r }' /tmp/against.$$ |
  sort -n | sed -n 3p | sed 's/^/median ratio to the script: /'
rm -f /tmp/against.$$
