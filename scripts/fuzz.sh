#!/bin/sh
# Throws a million changed scenes, and a hundred thousand inputs of every other kind, at everything that reads what strangers write; two at a
# time. Prints a line of figures for each half, and ends with 1 when anything broke: what it was stands in the folder.
#
#     scripts/fuzz.sh [FOLDER] [PART]
#
# PART is a share of the counts, such as 0.01 for a first look.
set -eu
cd "$(dirname "$0")/.."
folder=${1:-target/fuzz-found}
part=${2:-1}
mkdir -p "$folder"
cargo build --profile fuzz --locked -p ironspin-fuzz -p ironspin
half() {
    status=0
    for line in scene:500000 resolved:50000 expression:50000 answer:50000 call:50000 describe:50000 trace:50000 plan:50000 folder:50000 \
        trial:50000 program:50000; do
        count=$(awk "BEGIN { printf \"%d\", ${line#*:} * $part }")
        target/fuzz/ironspin-fuzz "${line%:*}" "$count" "$1" "$folder" || status=1
    done
    return $status
}
half 1 &
half 2 && status=0 || status=1
wait $! || status=1
exit $status
