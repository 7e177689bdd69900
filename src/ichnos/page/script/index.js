// @ts-check
// The index: a line for each sound, found by words and sorted.
import { FLOOR, counted, entries, h, id, length, level, own } from "./book.js";
import { contentOf, lines, state, verdicts } from "./hearing.js";
/** @import { Entry } from "./book.js" */

/** @param {number|null} value */
const across = (value) => `${(100 * Math.min(1, Math.max(0, ((value ?? FLOOR) - FLOOR) / -FLOOR))).toFixed(1)}%`;

/** How loud the old one is. @param {Entry} entry */
function oldLevel(entry) {
  const found = entry.old.map((one) => contentOf(one)?.heard).filter((one) => typeof one === "number");
  return found.length ? Math.max(.../** @type {number[]} */ (found)) + 20 * Math.log10(entry.oldVolume || 1e-3) : null;
}

/** @param {Entry} entry */
export function jumpOf(entry) {
  if (entry.jump === null) return "";
  return `${Math.abs(entry.jump).toFixed(1)} LU ${entry.jump > 0 ? "louder" : "quieter"} than its like`;
}

/** @param {string} kind @param {number|null} at */
function dot(kind, at) {
  const made = h("i", { class: kind });
  made.style.left = across(at);
  return made;
}

/** @param {Entry} entry @param {() => void} chosen @returns {HTMLLIElement} */
export function line(entry, chosen) {
  const isFault = entry.findings.some((one) => one.severity === "error");
  const title = titleOf(entry);
  const strip = h("span", { class: "level" });
  if (entry.middle !== null) strip.append(dot("middle", entry.middle));
  const before = oldLevel(entry);
  if (before !== null) strip.append(dot("before", before));
  if (entry.level !== null) strip.append(dot(entry.jump === null ? "now" : "now jumps", entry.level));
  const button = h(
    "button",
    { type: "button", class: "line", click: chosen },
    h("span", { class: "mark" }),
    h(
      "span",
      {},
      h("span", { class: "key" }, own(entry.key || "(no key)")),
      title && h("span", { class: "title" }, " ", own(title)),
      entry.findings.length > 0 &&
        h(
          "span",
          { class: isFault ? "fault" : "remark" },
          ` ${isFault ? "✗" : "!"} ${counted(entry.findings.length, "finding")}`,
        ),
      entry.jump !== null &&
        h(
          "span",
          { class: "jump" },
          h("span", { "aria-hidden": "true" }, ` ${entry.jump > 0 ? "▲" : "▼"} ${Math.abs(entry.jump).toFixed(0)} LU`),
          h("span", { class: "unseen" }, `, ${jumpOf(entry)}`),
        ),
    ),
    h(
      "span",
      { class: "number" },
      entry.new.length ? `${length(entry.seconds)}, ${level(entry.level, "LUFS")}` : "no sound",
    ),
    strip,
  );
  const item = h("li", {}, button);
  mark(item, entry);
  return item;
}

/** @param {HTMLLIElement} item @param {Entry} entry */
export function mark(item, entry) {
  const one = verdicts.of(entry);
  const words = { keep: ["✓", "keep"], redo: ["↻", "redo"] }[one.verdict] || (one.note ? ["✎", "note"] : ["", ""]);
  const over = verdicts.isOver(entry);
  const place = /** @type {HTMLElement} */ (item.querySelector(".mark"));
  place.replaceChildren(
    h("span", { "aria-hidden": "true" }, over && words[0] ? `${words[0]}?` : words[0]),
    h("span", { class: "unseen" }, words[1] ? `${words[1]}${over ? ", before it changed" : ""}: ` : ""),
  );
}

/** A title in a language that the listener reads, or else any. @param {Entry} entry */
function titleOf(entry) {
  const wanted = [...navigator.languages, "en"].map((one) => one.split("-")[0]);
  const said = wanted.map((tag) => entry.titles.find((one) => one[0].split("-")[0] === tag)).find((one) => one);
  return (said || entry.titles[0] || ["", ""])[1];
}

/** What a word is looked for in. @param {Entry} entry */
function words(entry) {
  const files = [...entry.new, ...entry.old].map((one) => one.file);
  const titles = [...entry.titles, ...entry.oldTitles].map((one) => one[1]);
  return [entry.key, entry.category, ...titles, ...files].join("\n").toLowerCase().normalize("NFC");
}

/** @type {string[]} */
const searched = entries.map(words);

/** @param {Entry} entry */
const troubled = (entry) => [...entry.new, ...entry.old].some((one) => !contentOf(one) || contentOf(one)?.trouble);

/** @type {Record<string, (entry: Entry) => boolean>} */
const ABOUT = {
  any: (entry) => entry.findings.length > 0,
  none: (entry) => !entry.findings.length,
  jumps: (entry) => entry.jump !== null,
  unheard: troubled,
};

/** @type {Record<string, (entry: Entry) => boolean>} */
const JUDGED = {
  none: (entry) => !verdicts.of(entry).verdict && !verdicts.of(entry).note,
  keep: (entry) => verdicts.of(entry).verdict === "keep",
  redo: (entry) => verdicts.of(entry).verdict === "redo",
  note: (entry) => Boolean(verdicts.of(entry).note),
  over: (entry) => verdicts.isOver(entry),
};

/** @type {Record<string, (one: Entry, other: Entry) => number>} */
const ORDERS = {
  key: (one, other) => (one.key < other.key ? -1 : 1),
  loudness: (one, other) => (other.level ?? -999) - (one.level ?? -999),
  length: (one, other) => other.seconds - one.seconds,
  size: (one, other) => other.size - one.size,
  jump: (one, other) => Math.abs(other.jump || 0) - Math.abs(one.jump || 0),
};

export function filter() {
  const word = id("word").value.trim().toLowerCase().normalize("NFC");
  const [category, kind, about, judged] = ["category", "kind", "finding", "verdict"].map((name) => id(name).value);
  state.shown = [];
  entries.forEach((entry, number) => {
    const fits =
      (!word || searched[number].includes(word) || verdicts.of(entry).note.toLowerCase().includes(word)) &&
      (!category || `=${entry.category}` === category) &&
      (!kind || `=${entry.kind}` === kind) &&
      (!about || (ABOUT[about] ? ABOUT[about](entry) : entry.findings.some((one) => `=${one.id}` === about))) &&
      (!judged || JUDGED[judged](entry));
    const item = lines[number];
    if (item.hidden === fits) item.hidden = !fits;
  });
  state.shown = /** @type {HTMLLIElement[]} */ ([...id("lines").children]).filter((item) => !item.hidden);
  const all = state.shown.length === entries.length;
  id("count").textContent = all
    ? counted(entries.length, "sound")
    : `${state.shown.length.toLocaleString("en")} of ${counted(entries.length, "sound")}`;
}

export function order() {
  const by = ORDERS[id("order").value];
  const numbers = entries.map((_, number) => number);
  if (by) numbers.sort((one, other) => by(entries[one], entries[other]) || one - other);
  id("lines").replaceChildren(...numbers.map((number) => lines[number]));
  filter();
}

/** @param {string} name @param {[string, string][]} choices */
export function offer(name, choices) {
  id(name).replaceChildren(...choices.map(([value, text]) => h("option", { value }, text)));
}

/** @param {(entry: Entry) => string} of @param {string} nothing @returns {[string, string][]} */
export function values(of, nothing) {
  const found = [...new Set(entries.map(of))].sort();
  return [["", "all"], .../** @type {[string, string][]} */ (found.map((one) => [`=${one}`, one || nothing]))];
}
