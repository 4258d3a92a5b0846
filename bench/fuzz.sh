#!/usr/bin/env bash
# A long run of what the tests do briefly: any cell, formula, protocol, table and file gives a verdict or an error.
#   bench/fuzz.sh [CASES]      20000 cases each by default
set -euo pipefail
cd "$(dirname "$0")/.."
# The reader of files takes its number of cases from the second.
export FUZZ_CASES=${1:-20000} PROPTEST_CASES=${1:-20000}
cargo test --release --quiet -p jurado-core --test hostile
cargo test --release --quiet -p jurado-intake any_
cargo test --release --quiet -p jurado-core --lib cell::tests::any_
