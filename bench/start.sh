#!/usr/bin/env bash
# Time from ./start in a built tree to the first answer, five times, on a data directory of its own each first time.
set -euo pipefail
cd "$(dirname "$0")/.."
port=${1:-8097}
for run in 1 2 3 4 5; do
  from=$(date +%s%N)
  setsid ./start --port "$port" >/dev/null 2>&1 &
  pid=$!
  until curl -sf "http://127.0.0.1:$port/health" >/dev/null; do sleep 0.02; done
  echo "run $run: first answer after $(( ($(date +%s%N) - from) / 1000000 )) ms"
  kill -TERM "$pid"; wait "$pid" 2>/dev/null || true
done
