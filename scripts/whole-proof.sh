#!/usr/bin/env bash
# The whole proof, every fault on every scene, some hours on two cores (`proof --named` leaves that out and takes a quarter of an hour): writes docs/proof.md and leaves proof.json and proof.html in out/proof.
set -euo pipefail
cd "$(dirname "$0")/.."
page=$(mktemp)
cargo build --release --locked --quiet
time ./target/release/ironspin proof --format markdown --out out/proof > "$page"
mv "$page" docs/proof.md
