const byId = name => document.getElementById(name);
const made = (tag, classes, ...inside) => {
  const element = document.createElement(tag);
  if (classes) element.className = classes;
  element.append(...inside);
  return element;
};
// Read with the page, kept nowhere.
let token = "";
let model = null;
const LEAST_SPAN = 3, TELLING = 0.08, WAIT = 120;

class Problem extends Error {}

async function ask(path, options = {}) {
  const headers = { ...options.headers };
  if (token) headers.authorization = `Bearer ${token}`;
  let answer;
  try {
    answer = await fetch(path, { ...options, headers });
  } catch (error) {
    if (error.name === "AbortError") throw error;
    throw new Problem("The server does not answer; is it still running?");
  }
  if (answer.status === 401) byId("token").hidden = false;
  if (!answer.ok) {
    const told = await answer.json().catch(() => null);
    throw new Problem(told?.detail ?? `The server answers ${answer.status}.`);
  }
  return answer;
}

const sendJson = (path, body, signal) =>
  ask(path, { method: "POST", headers: { "content-type": "application/json" }, body: JSON.stringify(body), signal }).then(answer => answer.json());

const showProblem = (place, error) => {
  if (!(error instanceof Problem)) throw error;
  place.replaceChildren(made("p", "problem", error.message));
};

const signed = value => `${value < 0 ? "−" : "+"}${Math.abs(value).toFixed(2)}`;
const share = value => `${(100 * value).toFixed(1)} %`;
const whole = value => value.toLocaleString("en-US");
const pole = value => (value < 0 ? "negative" : "positive");
// Classes may have names of the analyst's own: the first and the last are the poles.
const poleOf = name => (name === model?.classes[0] ? "negative" : name === model?.classes.at(-1) ? "positive" : "");
const signOf = name => ({ negative: "−", positive: "+" })[poleOf(name)] ?? "○";

function track(from, to, span) {
  const place = value => 50 + 50 * Math.max(-1, Math.min(1, value / span));
  const [a, b] = [place(from), place(to)];
  const line = made("span", `track ${pole(to)}`, made("i"), made("b"));
  line.setAttribute("aria-hidden", "true");
  line.firstChild.style.cssText = `left:${Math.min(a, b)}%;width:${Math.abs(a - b)}%`;
  line.lastChild.style.left = `${b}%`;
  return line;
}

const step = (said, adds, from, to, span) =>
  made("div", "step", said, adds === null ? made("span") : made("span", pole(adds), signed(adds)), track(from, to, span), made("span", pole(to), signed(to)));

function said(clause, telling) {
  const words = clause.pieces.map(({ text, adds, negates, negated, counts_less }) => {
    const word = negates || negated ? made("u", "", text) : text;
    const inner = counts_less ? made("i", "", word) : word;
    return adds !== undefined && adds !== 0 && Math.abs(adds) >= telling ? made("b", pole(adds), inner) : inner;
  });
  return made("span", "", ...words);
}

function readingLine(review) {
  const totals = [...review.columns, ...review.clauses].map(part => Math.abs(part.total));
  const span = Math.max(LEAST_SPAN, ...totals);
  const telling = TELLING * Math.max(0, ...review.clauses.map(clause => Math.abs(clause.adds)));
  const line = made("div", "reading", step(made("span", "note", "before the first word"), null, review.begins, review.begins, span));
  let from = review.begins;
  for (const clause of review.clauses) {
    line.append(step(said(clause, telling), clause.adds, from, clause.total, span));
    from = clause.total;
  }
  return line;
}

function shown(review) {
  const sure = review.verdict !== "unsure";
  const shares = model.classes.map(name => `${name} ${share(review.probabilities[name])}`).join(", ");
  const name = made("strong", poleOf(review.polarity), `${signOf(review.polarity)} ${review.polarity}`);
  const called = made("p", "called", sure ? "" : "? unsure, leaning to ", name, `: ${shares}; log-odds ${signed(review.log_odds)}`);
  const legend = `Each line is a clause: what it adds to the log-odds of ${model.classes.at(-1)}, and the total after it. Gold words speak for ` +
    `${model.classes.at(-1)}, violet ones for ${model.classes[0]}; negators and what they negate are underlined, and ` +
    `what counts less is in italics.`;
  const parts = [called, readingLine(review), made("p", "note", legend)];
  if (review.unknown.length) parts.push(made("p", "note", `The model does not know: ${review.unknown.join(", ")}.`));
  return parts;
}

let waiting = 0, running = null;
async function read() {
  const text = byId("text").value, place = byId("reading");
  running?.abort();
  if (!text.trim()) return place.replaceChildren();
  running = new AbortController();
  try {
    const answer = await sendJson("explain", { reviews: [text] }, running.signal);
    if (answer.model.xxh3 !== model?.model.xxh3) await tellModel();
    place.replaceChildren(...shown(answer.reviews[0]));
  } catch (error) {
    if (error.name !== "AbortError") showProblem(place, error);
  }
}
byId("text").addEventListener("input", () => { clearTimeout(waiting); waiting = setTimeout(read, WAIT); });

const TYPES = { csv: "text/csv", tsv: "text/tab-separated-values", jsonl: "application/x-ndjson", ndjson: "application/x-ndjson", json: "application/json",
  parquet: "application/vnd.apache.parquet", xlsx: "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet" };
let scoredFile = null;
async function score(file) {
  const place = byId("scored"), type = TYPES[file.name.split(".").at(-1).toLowerCase()];
  if (!type) return place.replaceChildren(made("p", "problem", `${file.name}: expected a file that ends in ${Object.keys(TYPES).map(end => `.${end}`).join(", ")}.`));
  place.replaceChildren(made("p", "note", `Scoring ${file.name} …`));
  const query = new URLSearchParams({ flags: "true", reasons: "3" });
  if (byId("column").value.trim()) query.set("text", byId("column").value.trim());
  try {
    const answer = await ask(`rows?${query}`, { method: "POST", headers: { "content-type": type }, body: file });
    const told = JSON.parse(answer.headers.get("x-scored"));
    if (scoredFile) URL.revokeObjectURL(scoredFile);
    scoredFile = URL.createObjectURL(await answer.blob());
    const link = made("a", "download", "Save the scored rows");
    link.href = scoredFile;
    link.download = file.name.replace(/\.[^.]*$/, "-scored.csv");
    const row = (name, reviews) => made("tr", "", made("td", poleOf(name), `${name === "unsure" ? "?" : signOf(name)} ${name}`), made("td", "number", whole(reviews)), made("td", "number", told.scored ? share(reviews / told.scored) : "–"));
    const kinds = model.classes.length === 3 ? ["negative", "neutral", "positive"] : ["negative", "positive"];
    const body = made("tbody", "", ...kinds.map((kind, at) => row(model.classes[at], told[kind])), row("unsure", told.unsure));
    const head = made("tr", "", ...["verdict", "reviews", "share"].map((name, at) => { const cell = made("th", at ? "number" : "", name); cell.scope = "col"; return cell; }));
    place.replaceChildren(
      made("p", "", `${file.name}: ${whole(told.read)} rows read, ${whole(told.scored)} scored, ${whole(told.refused)} refused.`),
      made("table", "", made("thead", "", head), body),
      // There it has a name of the server's.
      ...told.remarks.map(remark => made("p", "note", remark.replace(/\breviews\.(csv|tsv|jsonl|json|parquet|xlsx)\b/g, file.name))),
      made("p", "", link));
  } catch (error) {
    showProblem(place, error);
  }
}
byId("chosen").addEventListener("change", event => event.target.files[0] && score(event.target.files[0]));
const drop = byId("drop");
for (const kind of ["dragenter", "dragover"]) drop.addEventListener(kind, event => { event.preventDefault(); drop.classList.add("over"); });
drop.addEventListener("dragleave", () => drop.classList.remove("over"));
drop.addEventListener("drop", event => {
  event.preventDefault();
  drop.classList.remove("over");
  if (event.dataTransfer.files[0]) score(event.dataTransfer.files[0]);
});

async function tellModel() {
  model = await ask("model").then(answer => answer.json());
  const { accuracy, learnt_from } = model;
  const reviews = Object.values(learnt_from).reduce((sum, own) => sum + own, 0);
  const right = accuracy?.value == null ? "It was never validated: how often it is right is not known."
    : `Right in ${share(accuracy.value)} (${share(accuracy.low)} to ${share(accuracy.high)}) of reviews that it has not seen.`;
  byId("about").textContent = `${model.model.file}, learnt from ${whole(reviews)} reviews. ${right}`;
  byId("column").placeholder = model.text.join(", ");
  const page = new DOMParser().parseFromString(await ask("card").then(answer => answer.text()), "text/html");
  const parts = [...page.querySelectorAll("main > section")].map(part => {
    const title = part.querySelector("h2");
    title.replaceWith(made("h3", "", title.textContent));
    part.removeAttribute("aria-labelledby");
    return document.importNode(part, true);
  });
  byId("card").replaceChildren(...parts);
  enliven(byId("card"));
}

const begin = () => tellModel().catch(error => { byId("about").textContent = error.message; });
byId("token").addEventListener("submit", event => {
  event.preventDefault();
  token = byId("secret").value.trim();
  byId("token").hidden = true;
  begin().then(read);
});
begin().then(read);
