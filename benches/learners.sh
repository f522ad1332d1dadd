#!/usr/bin/env bash
# Holds each learner against the default on the folds of the demo: the table of docs/judging.md.
#
#   benches/learners.sh
#
# Needs jq. HEDDLE names a program that is built already. Not shown: other reviews, on which the order may be another.
set -euo pipefail
cd "$(dirname "$0")/.."
[ -n "${HEDDLE:-}" ] || cargo build --release --quiet --package heddle
heddle=${HEDDLE:-$PWD/target/release/heddle}
folder=$(mktemp -d); trap 'rm -rf "$folder"' EXIT
"$heddle" demo "$folder/demo" > /dev/null
cd "$folder/demo"
study() { # NAME SETTINGS: a study of its own beside the demo's
  printf '[reviews]\ntext = ["headline", "review"]\nid = "review_id"\ntogether = ["customer"]\n[polarity]\nmissing = "0"\n%b\n' "$2" > "$1.toml"
}
study 'svm, no emphasis' '[terms]\nemphasis = "none"'
study 'svm, no class ratios blended in' '[model]\nratios = "none"'
study 'svm, plain hinge' '[model]\nhinge = "plain"'
study 'logistic' '[model]\nlearner = "logistic"'
study 'logistic, no emphasis' '[terms]\nemphasis = "none"\n[model]\nlearner = "logistic"'
study 'logistic, elastic' '[model]\nlearner = "logistic"\npenalty = "elastic"'
study 'naive-bayes' '[model]\nlearner = "naive-bayes"'
study 'naive-bayes, complement' '[model]\nlearner = "naive-bayes"\nevents = "complement"'
study 'naive-bayes, presence' '[terms]\nweighting = "bnn"\n[model]\nlearner = "naive-bayes"\nevents = "presence"'
study 'online' '[model]\nlearner = "online"'
with=()
for name in 'svm, no emphasis' 'svm, no class ratios blended in' 'svm, plain hinge' logistic 'logistic, no emphasis' 'logistic, elastic' \
  naive-bayes 'naive-bayes, complement' 'naive-bayes, presence' online; do with+=(--with "$name.toml"); done
"$heddle" compare run/training.csv "${with[@]}" --json | jq -r '
  def r(d): . * pow(10; d) | round / pow(10; d);
  "| learner | accuracy | log loss | difference of log loss |", "|---|---|---|---|",
  (.ways[] | "| \(.name | sub("\\.toml$"; "") | sub("the study in force"; "svm (the default)")) | \(.figures.accuracy.value * 100 | r(1)) % | \(.figures.log_loss.value | r(3)) | \(
    if .difference then "\(.difference.log_loss.value | r(4)) (\(.difference.log_loss.low | r(4)) to \(.difference.log_loss.high | r(4)))" else "" end) |")'
