#!/usr/bin/env bash
# How time and memory grow with the number of reviews: training as it comes, scoring and surveying on made-up
# text with the statistics of what people write.
#
#   benches/growth.sh [ROWS ...]      default: 25000 100000 400000 (the last takes 530 MB on disk)
#
# Needs GNU time (Debian package `time`). One run each, beside `wc -w` of the same file. Distinct words and n-grams
# grow more slowly than the text, as they do where people write, so that what is kept of a review shrinks.
set -euo pipefail
[ $# -gt 0 ] || set -- 25000 100000 400000
cd "$(dirname "$0")/.."
cargo build --release --quiet --package heddle --package demo-generator
heddle=$PWD/target/release/heddle
generator=$PWD/target/release/demo-generator
folder=$(mktemp -d); trap 'rm -rf "$folder"' EXIT
cd "$folder"
printf '[reviews]\ntext = ["review"]\n' > study.toml
printf '%-10s %10s %10s %14s %12s %14s\n' command reviews seconds 'ms a review' 'x wc -w' 'KiB a review'
for rows in "$@"; do
  "$generator" . --rows "$rows" --prose >/dev/null
  measure() { /usr/bin/time -o time -f '%e %M' "$@" >/dev/null 2>&1; cat time; }
  words=$(measure wc -w prose.csv | cut -d' ' -f1)
  row() {
    local name=$1; shift
    measure "$@" | awk -v c="$name" -v n="$rows" -v w="$words" \
      '{ printf "%-10s %10d %10.2f %14.3f %11.1fx %14.2f\n", c, n, $1, 1000 * $1 / n, $1 / w, $2 / n }'
  }
  row train "$heddle" train prose.csv --out m.heddle
  row score "$heddle" score m.heddle prose.csv --out s.csv
  row survey "$heddle" survey prose.csv
  rm prose.csv m.heddle s.csv
done
