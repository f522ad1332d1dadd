"""Scores reviews by a Heddle model file, on the standard library of Python alone.

    heddle tokens new.csv --model m.heddle --out tokens.jsonl
    python3 reader.py m.heddle tokens.jsonl > scored.jsonl

The program reads the texts: tokens, what is negated, and stems. All else is done here, as docs/model-file.md and weighting.md
say: n-grams, weights, the sum, probability and verdict. Scores equal those of `heddle score`.
"""
import json, math, struct, sys
from collections import Counter

READ = {  # settings of the models that this reader knows
    "terms.hashed": [0], "negation.edition": ["2", "3"], "features.columns": [[]], "features.vectors": [""],
    "text.punctuation": ["keep", "drop"], "terms.weighting": [a + b + c for a in "nlb" for b in "nts" for c in "nc"],
}
SHARES = {"½": 0.5, "∅": 0}  # what stands before a token that counts less


def f32(number):
    return struct.unpack("<f", struct.pack("<f", number))[0]


class Model:
    def __init__(self, path):
        self.data = open(path, "rb").read()
        magic, form, length = struct.unpack_from("<8sIQ", self.data)
        if magic != b"HEDDLE\r\n" or form != 7:
            sys.exit(f"{path}: expected a model file of format 7")
        whole, self.at = json.loads(self.data[20:20 + length]), 20 + length
        self.card, self.set, self.classes = whole["card"], whole["settings"], whole["classes"]
        others = [f"{key} = {self.set[key]}" for key, read in READ.items() if self.set[key] not in read]
        if others or len(self.classes) > 2 or self.card["calibration"]["method"] not in ("none", "scale"):
            sys.exit(f"this reader knows two classes, words and straight calibration; the model has {others}")
        (self.intercept, _), (count, size) = self.take("d", 2), self.take("I", 2)
        ends = self.take("I", count)
        text, self.at = self.data[self.at:self.at + size], self.at + size
        self.names = [text[a:b].decode() for a, b in zip((0,) + ends, ends)]
        self.words = {name: place for place, name in enumerate(self.names)}
        count, = self.take("I", 1)
        parents, tokens, (bits, _) = self.take("I", count), self.take("I", count), self.take("I", 2)
        self.at += (1 << bits) - (bits == 0)  # a table for look-ups, which tells nothing that paths do not
        self.at = self.take("I", 1)[0] + self.at
        weights, used = self.take("f", count), [flags & 1 for flags in self.take("B", count)]
        counts = [[self.varint(), self.varint()] for _ in range(count)]
        paths = []  # by term: its tokens
        for parent, token in zip(parents, tokens):
            paths.append((paths[parent] if parent != 0xFFFFFFFF else ()) + (token,))
        self.terms = {path: term for term, path in enumerate(paths)}
        totals = [sum(own[pole] + 1 for own, used in zip(counts, used) if used) for pole in (0, 1)]
        all_terms = zip(counts, paths, weights, used)
        self.pulls = [used and (f32(self.factor(own, path, totals)), weight) for own, path, weight, used in all_terms]

    def factor(self, counts, path, totals):
        """The document factor of a term with so many negative and positive reviews."""
        reviews, df = sum(self.card["mix"]), sum(counts)
        factor = {"n": 1, "t": math.log(reviews / df), "s": math.log(1 + reviews / df)}[self.set["terms.weighting"][1]]
        if self.set["terms.emphasis"] == "class-ratio":
            negative, positive = ((count + 1) / total for count, total in zip(counts, totals))
            factor *= abs(math.log(positive / negative)) + self.set["terms.emphasis_least"]
        name = self.names[path[0] >> 1] if len(path) == 1 else ""  # parts of words are "enjoy-" and "/njo/"
        factor *= self.set["terms.stems_scale"] if name[1:].endswith("-") else 1
        factor *= self.set["terms.letters_scale"] if len(name) > 2 and name[0] == name[-1] == "/" else 1
        return factor * (self.set["terms.marked_scale"] if any(token & 1 for token in path) else 1)

    def take(self, kind, count):
        values = struct.unpack_from(f"<{count}{kind}", self.data, self.at)
        self.at += struct.calcsize(f"<{count}{kind}")
        return values

    def varint(self):
        value = shift = 0
        while self.data[self.at] > 127:
            value, shift, self.at = value | (self.data[self.at] & 127) << shift, shift + 7, self.at + 1
        self.at += 1
        return value | self.data[self.at - 1] << shift

    def row(self, sentences, parts):
        """The counts of the terms of a review, in the order of their first places; by word, its parts."""
        longest, style, counts = int(str(self.set["terms.words"]).split("-")[-1]), self.set["negation.style"], Counter()
        for sentence in sentences:
            tokens = [token.replace("\xa0", " ") for token in sentence.split(" ")]  # a blank inside one does not break
            shares = [SHARES.get(token[0], 1) if len(token) > 1 else 1 for token in tokens]
            tokens = [token if share == 1 else token[1:] for token, share in zip(tokens, shares)]
            ids = [2 * self.words.get(token.lstrip("¬"), -1) + token.startswith("¬") for token in tokens]
            for first, token in enumerate(ids):
                for end in range(first + 1, min(first + longest, len(ids)) + 1):
                    term = self.terms.get(tuple(ids[first:end]))
                    if term is None:
                        break
                    counts[term] += min(shares[first], shares[end - 1])
                own = [2 * self.words.get(part, -1) + (token & 1) for part in parts.get(tokens[first].lstrip("¬"), ())]
                for part in own:
                    counts[self.terms.get((part,))] += shares[first]
                if token & 1 and style != "mark":  # a negated word also counts for, or against, the plain one
                    for plain in own + [token]:
                        counts[self.terms.get((plain - 1,))] += shares[first] * (-1 if style == "flip" else 1)
        return [(term, count) for term, count in counts.items() if term is not None and self.pulls[term]]

    def score(self, sentences, parts):
        weigh = {"n": float, "b": lambda tf: 1.0, "l": lambda tf: 1 + math.log(tf)}[self.set["terms.weighting"][0]]
        factor = lambda tf: f32(math.copysign(min(abs(tf), 1) * weigh(max(abs(tf), 1)), tf))
        row = [(factor(tf), *self.pulls[term]) for term, tf in self.row(sentences, parts)]
        squares = [(value * factor) ** 2 for value, factor, _ in row if self.set["terms.weighting"][2] == "c"]
        odds = self.intercept + sum(value * factor * weight for value, factor, weight in row) / (math.sqrt(sum(squares)) or 1)
        cuts, (low, high) = self.card["cuts"], self.card["cuts"]["unsure"] or (math.inf, math.inf)
        called = self.classes[odds >= cuts["negative"]] if row and not low <= odds < high else "unsure"
        return {"verdict": called, "log_odds": odds, "p_positive": 1 / (1 + math.exp(-odds))}


if __name__ == "__main__":
    model = Model(sys.argv[1])
    for line in open(sys.argv[2], encoding="utf-8"):
        name, _, _, (_, tokens), (_, parts) = json.loads(line).items()
        parts = {word: own for word, *own in map(str.split, (parts or "").split("\n") if parts else ())}
        print(json.dumps({name[0]: name[1], **model.score((tokens or "").split("\n"), parts)}))
