// @ts-check
// Fills the page, and listens to it.
import { MOST_LINES, book, counted, entries, findingOf, h, id, length } from "./book.js";
import { contentOf, lines, open, player, state, verdicts } from "./hearing.js";
import { filter, line, mark, offer, order, values } from "./index.js";
import { choose, leaf, refresh, view } from "./leaf.js";
import { draw } from "./drawing.js";
import { LETTERS, key, remembered } from "./keys.js";

/** What there is to choose from. */
function choices() {
  offer(
    "category",
    values((one) => one.category, "none"),
  );
  offer(
    "kind",
    values((one) => one.kind, "usual"),
  );
  const ids = [...new Set(entries.flatMap((entry) => entry.findings.map((one) => one.id)))].sort();
  offer("finding", [
    ["", "all"],
    ["any", "with findings"],
    ["none", "without"],
    ["jumps", "jumps in level"],
    ["unheard", "cannot be played"],
    .../** @type {[string, string][]} */ (ids.map((one) => [`=${one}`, one])),
  ]);
  offer("verdict", [
    ["", "all"],
    ["none", "none yet"],
    ["keep", "keep"],
    ["redo", "redo"],
    ["note", "with a note"],
    ["over", "before it changed"],
  ]);
  offer("order", [
    ["pack", "as in the pack"],
    ["key", "by key"],
    ["loudness", "loudest first"],
    ["length", "longest first"],
    ["size", "largest first"],
    ["jump", "jumps first"],
  ]);
}

/** What is to be said of the whole pack. */
function summary() {
  const jumps = entries.filter((one) => one.jump !== null).length;
  // A file, or a finding, that is of several sounds counts once.
  const files = new Set(entries.flatMap((entry) => entry.new.map(contentOf)));
  const seconds = [...files].reduce((sum, one) => sum + (one?.seconds || 0), 0);
  const told = [...book.remarks, ...entries.flatMap((entry) => entry.findings)];
  const found = new Set(told.map((one) => `${one.id} ${one.place} ${one.reason}`)).size;
  id("sum").textContent = [
    counted(entries.length, "sound"),
    `${length(seconds)} in all`,
    counted(found, "finding"),
    `${counted(jumps, "jump")} in level`,
  ].join(", ");
  if (book.remarks.length) {
    const more = book.remarks.length - MOST_LINES;
    id("remarks").append(
      h("h2", {}, "Findings of no one sound"),
      ...book.remarks.slice(0, MOST_LINES).map(findingOf),
      more > 0 && h("p", {}, `${more} more: ichnos check says all of them.`),
    );
  }
}

/** The table of verdicts, out and in. */
function tables() {
  id("export").addEventListener("click", () => {
    const link = h("a", { download: "verdicts.csv" });
    link.href = URL.createObjectURL(new Blob([verdicts.table()], { type: "text/csv;charset=utf-8" }));
    link.click();
    setTimeout(() => URL.revokeObjectURL(link.href), 1000);
  });
  id("import").addEventListener("change", async (/** @type {any} */ event) => {
    const [file] = event.target.files;
    if (!file) return;
    const told = verdicts.take(await file.text());
    event.target.value = "";
    entries.forEach((entry, number) => mark(lines[number], entry));
    filter();
    if (state.at >= 0) leaf();
    id("stored").textContent = told;
  });
}

/** Another window of this page has said something. */
function elsewhere() {
  verdicts.load();
  entries.forEach((entry, number) => mark(lines[number], entry));
  verdicts.tell();
  refresh();
  const note = id("note");
  if (note && note !== document.activeElement) note.value = verdicts.of(open()).note;
}

function begin() {
  entries.forEach((entry, number) => lines.push(line(entry, () => choose(number, true))));
  choices();
  for (const name of ["category", "kind", "finding", "verdict"]) id(name).addEventListener("change", filter);
  id("word").addEventListener("input", filter);
  id("filters").addEventListener("submit", (/** @type {Event} */ event) => event.preventDefault());
  id("order").addEventListener("change", order);
  order();
  summary();
  id("letters-list").append(
    ...[["space", "play, stop"], ["↓ ↑", "next, previous"], ["1 to 9", "a take or part"], ...LETTERS].map(
      ([letter, what]) => h("div", {}, h("dt", {}, h("kbd", {}, letter)), h("dd", {}, what)),
    ),
  );
  tables();
  window.addEventListener("storage", elsewhere);
  document.addEventListener("keydown", key);
  document.querySelector(".skip")?.addEventListener("click", () => view("leaf"));
  new ResizeObserver(draw).observe(id("leaf"));
  matchMedia("(prefers-color-scheme: dark)").addEventListener("change", draw);
  remembered();
  verdicts.tell();
  if (entries.length) choose(0);
  else id("leaf").append(h("h2", { id: "key" }, "This pack has no sounds."));
}

begin();
// For whoever wants to know what is played: where the sound is, and how loud.
// @ts-ignore
globalThis.listening = { player, state };
