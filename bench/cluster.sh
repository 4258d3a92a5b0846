#!/usr/bin/env bash
# Three Galera nodes on loopback, two `serve` on two of them, mixed load, and a node killed in the middle: prints what was
# lost, what was stored twice, which errors people were shown, and what `jurado verify` says afterwards.
#   bench/cluster.sh [SECONDS]        default 90; as root, with Debian's mariadb-server, galera-4 and rsync
set -euo pipefail
cd "$(dirname "$0")"
for package in galera-4 rsync lsof; do
  dpkg -s "$package" >/dev/null 2>&1 || DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$package" >/dev/null
done
exec python3 cluster.py "$@"
