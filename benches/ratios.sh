#!/usr/bin/env bash
# Times whole commands on a large made-up file, as ratios to `wc -w` of the same file.
#
#   benches/ratios.sh [ROWS] [LENGTH] [RUNS]      default: 25000 rows of 230 words or so (33 MB),
#                                                 3 runs, the median counts
#
# Needs GNU time (Debian package `time`). Shown: wall time, its ratio to that of `wc -w` run
# in turn with it, and peak memory against the size of the file. The text has as many words and
# n-grams as people write, and they come back as often. Not shown: cold files (each command runs
# once before it is measured).
set -euo pipefail
rows=${1:-25000} length=${2:-1} runs=${3:-3}
cd "$(dirname "$0")/.."
cargo build --release --quiet --package heddle --package demo-generator
heddle=$PWD/target/release/heddle
folder=$(mktemp -d); trap 'rm -rf "$folder"' EXIT
target/release/demo-generator "$folder" --rows "$rows" --length "$length" --prose
cd "$folder"
cat > study.toml <<'TOML'
[reviews]
text = ["review"]
TOML
bytes=$(stat -c %s prose.csv)
# `wc -l` is too quick for the clock: forty copies of the file at once.
lines=$(/usr/bin/time -f %e wc -l $(yes prose.csv | head -40) 2>&1 >/dev/null | awk '{ printf "%.4f", $1 / 40 }')
echo "prose.csv: $rows reviews, $((bytes / 1000000)) MB; $(nproc) cores; median of $runs runs; \`wc -l\` takes $lines s"

seconds() { /usr/bin/time -o "$folder/time" -f '%e %M' "$@" >/dev/null 2>&1; cut -d' ' -f1 "$folder/time"; }
median() { sort -n | awk '{ v[NR] = $1 } END { print v[int((NR + 1) / 2)] }'; }
printf '%-44s %8s %10s %12s\n' command seconds 'x wc -w' 'memory/file'
row() { # `wc -w` and the command in turn, so that a change of the machine's pace meets both
  local name=$1; shift
  "$@" >/dev/null 2>&1
  : > "$folder/pairs"
  for _ in $(seq "$runs"); do
    echo "$(seconds wc -w prose.csv) $(seconds "$@")" >> "$folder/pairs"
  done
  local peak ratio time
  peak=$(cut -d' ' -f2 "$folder/time")
  ratio=$(awk '{ print $2 / $1 }' "$folder/pairs" | median)
  time=$(awk '{ print $2 }' "$folder/pairs" | median)
  awk -v n="$name" -v s="$time" -v r="$ratio" -v p="$peak" -v f="$bytes" \
    'BEGIN { printf "%-44s %8.2f %9.1fx %11.1fx\n", n, s, r, p * 1024 / f }'
}
row 'label (read, detect, count), one core' "$heddle" label prose.csv --threads 1
row 'split (label, find kin, write), one core' "$heddle" split prose.csv --training t.csv --holdout h.csv --threads 1
row 'survey, all cores' "$heddle" survey prose.csv
# Reads, counts, selects, weighs and shows what tells most.
row 'terms, 1-2 grams' "$heddle" terms prose.csv
row 'terms, 1-3 grams' "$heddle" terms prose.csv --set terms.words=1-3
row 'terms, 1-3 grams, hashed to 2^20 columns' "$heddle" terms prose.csv --set terms.words=1-3 --set terms.hashed=20
row 'train, 1-3 grams, fixed strength' "$heddle" train prose.csv --out m.heddle --set model.strength=3e-5 --set terms.words=1-3
row 'train, fixed strength, gap 1e-3' "$heddle" train prose.csv --out m.heddle --set model.strength=3e-5
row 'train, strength chosen by inner folds' "$heddle" train prose.csv --out m.heddle
row 'validate, 10 folds, fixed strength' "$heddle" validate prose.csv --ledger none --set model.strength=3e-5
row 'validate, 1-3 grams, 10 folds, fixed' "$heddle" validate prose.csv --ledger none --set model.strength=3e-5 --set terms.words=1-3
row 'train, the rich recipe' "$heddle" train prose.csv --out v.heddle --set terms.recipe=rich
row 'train, logistic regression, fixed' "$heddle" train prose.csv --out v.heddle --set model.learner=logistic --set model.strength=4e-6
row 'train, naive Bayes' "$heddle" train prose.csv --out v.heddle --set model.learner=naive-bayes
row 'train, lasso, fixed' "$heddle" train prose.csv --out v.heddle --set model.learner=logistic --set model.penalty=lasso --set model.strength=1e-4
row 'score, all cores' "$heddle" score m.heddle prose.csv --out s.csv
row 'score, one core' "$heddle" score m.heddle prose.csv --out s.csv --threads 1
