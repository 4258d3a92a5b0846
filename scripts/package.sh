#!/usr/bin/env bash
# Builds the Debian package of Jurado: target/debian/jurado_*.deb. With --try it is installed, used and removed in a root of
# its own (debootstrap, as root).
set -euo pipefail
cd "$(dirname "$0")/.."
command -v cargo-deb >/dev/null || cargo install --locked cargo-deb
cargo build --release --package jurado-cli
cargo deb --no-build --package jurado-cli
package=$(ls -t "${CARGO_TARGET_DIR:-target}"/debian/jurado_*.deb | head -1)
echo "$package"
[ "${1:-}" = --try ] || exit 0

[ "$(id -u)" = 0 ] || { echo "--try needs root: it makes a root file system." >&2; exit 1; }
command -v debootstrap >/dev/null || apt-get install -y -qq debootstrap
root=$(mktemp -d /tmp/jurado-root-XXXXXX)
trap 'rm -rf "$root"' EXIT
debootstrap --variant=minbase bookworm "$root" >/dev/null
cp /etc/apt/sources.list "$root/etc/apt/" 2>/dev/null || true
cp "$package" "$root/tmp/jurado.deb"
inside() { chroot "$root" env DEBIAN_FRONTEND=noninteractive PATH=/usr/sbin:/usr/bin:/sbin:/bin "$@"; }
inside apt-get update -qq
inside apt-get install -y -qq --no-install-recommends /tmp/jurado.deb >/dev/null
inside jurado --version
inside jurado protocol check /etc/jurado/protocols/keel-plate.toml >/dev/null
inside sh -c 'cd /etc/jurado && jurado demo --seed 7 --out /tmp/demo' >/dev/null
tables=$(inside jurado judge --protocol /etc/jurado/protocols/keel-plate.toml --submissions /tmp/demo/submissions.csv | grep -o '"team"' | wc -l)
[ "$tables" -gt 0 ] || { echo "the installed program judged nothing" >&2; exit 1; }
inside getent passwd jurado >/dev/null
for file in /usr/bin/jurado /lib/systemd/system/jurado.service /lib/systemd/system/jurado-backup.timer /etc/jurado/jurado.env \
  /usr/share/doc/jurado/operate.md; do
  inside test -e "$file" || { echo "missing after the installation: $file" >&2; exit 1; }
done
[ "$(inside stat -c '%a %U %G' /etc/jurado/jurado.env)" = "640 root jurado" ] || { echo "jurado.env is open to others" >&2; exit 1; }
inside apt-get purge -y -qq jurado >/dev/null
for file in /usr/bin/jurado /lib/systemd/system/jurado.service /etc/jurado; do
  inside test ! -e "$file" || { echo "left after the removal: $file" >&2; exit 1; }
done
echo "installed, used and removed"
