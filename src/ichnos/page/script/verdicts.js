// @ts-check
// What was said of each sound: kept in the browser, written as a table, and read again.
import { book, counted, entries, id } from "./book.js";
/** @import { Entry, Verdict } from "./book.js" */

/** What was said of each sound, kept in the browser. */
export class Verdicts {
  constructor() {
    this.slot = `ichnos verdicts ${book.identity}`;
    /** @type {Map<string, Verdict>} */
    this.said = new Map();
    this.trouble = "";
    this.load();
  }

  load() {
    this.said = new Map(book.verdicts.map((one) => [one.key, one]));
    try {
      const kept = JSON.parse(localStorage.getItem(this.slot) || "[]");
      for (const one of Array.isArray(kept) ? kept : []) {
        if (one && typeof one.key === "string") this.said.set(one.key, this.clean(one));
      }
    } catch (error) {
      this.trouble = "This browser keeps nothing for this page: export your verdicts before you close it.";
    }
  }

  /** How many there are, on the page. */
  tell() {
    const said = [...this.said.values()].filter((one) => one.verdict || one.note);
    const redo = said.filter((one) => one.verdict === "redo").length;
    id("stored").textContent =
      this.trouble || (said.length ? `${counted(said.length, "verdict")}, ${redo} to redo.` : "No verdicts yet.");
  }

  /** @param {any} one @returns {Verdict} */
  clean(one) {
    const verdict = one.verdict === "keep" || one.verdict === "redo" ? one.verdict : "";
    return { key: one.key, verdict, note: String(one.note || ""), heard: String(one.heard || "") };
  }

  /** @param {Entry} entry @returns {Verdict} */
  of(entry) {
    return this.said.get(entry.key) || { key: entry.key, verdict: "", note: "", heard: "" };
  }

  /** Was it another sound that was judged? @param {Entry} entry */
  isOver(entry) {
    const one = this.of(entry);
    return Boolean((one.verdict || one.note) && one.heard && one.heard !== entry.heard);
  }

  /** @param {Verdict} one */
  say(one) {
    this.load(); // what another window has said meanwhile stays
    this.said.set(one.key, one);
    this.keep();
  }

  keep() {
    try {
      localStorage.setItem(this.slot, JSON.stringify([...this.said.values()]));
      this.trouble = "";
    } catch (error) {
      this.trouble = "This browser keeps nothing for this page: export your verdicts before you close it.";
    }
    this.tell();
  }

  /** The table, as CSV (RFC 4180). */
  table() {
    const cell = (/** @type {string} */ text) =>
      /[",\r\n]|^\s|\s$/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
    const rows = [...this.said.values()].sort((one, other) => (one.key < other.key ? -1 : 1));
    const lines = rows.map((one) => [one.key, one.verdict, one.note, one.heard].map(cell).join(","));
    return ["key,verdict,note,heard", ...lines, ""].join("\r\n");
  }

  /** Take a table in. @param {string} text @returns {string} what came of it, in a sentence */
  take(text) {
    const [head, ...rows] = cells(text.replace(/^\uFEFF/, ""));
    const at = Object.fromEntries(
      ["key", "verdict", "note", "heard"].map((name) => [name, (head || []).indexOf(name)]),
    );
    if (at.key < 0 || at.verdict < 0)
      return "This is no table of verdicts: its first line is not key,verdict,note,heard.";
    const keys = new Set(entries.map((one) => one.key));
    const odd = [];
    const taken = new Set();
    let count = 0;
    let strange = 0;
    this.load();
    for (const [number, row] of rows.entries()) {
      const [key, said, note, digits] = ["key", "verdict", "note", "heard"].map((name) => row[at[name]] || "");
      const [verdict, heard] = [said.trim().toLowerCase(), digits.trim().toLowerCase()];
      const known = ["", "keep", "redo"].includes(verdict) && /^([0-9a-f]{16})?$/.test(heard);
      if (!key || !known || taken.has(key)) {
        odd.push(number + 2);
        continue;
      }
      taken.add(key);
      this.said.set(key, { key, verdict, note, heard });
      count += 1;
      strange += keys.has(key) ? 0 : 1;
    }
    this.keep();
    const more = strange ? ` ${strange} of them are of keys that this pack has not.` : "";
    const lines = odd.length
      ? ` Not understood, and left out: row ${odd.slice(0, 9).join(", ")}${odd.length > 9 ? " and others" : ""}.`
      : "";
    return `${counted(count, "verdict")} imported.${more}${lines}`;
  }
}

/** The rows of a table. @param {string} text @returns {string[][]} */
function cells(text) {
  /** @type {string[][]} */
  const rows = [];
  /** @type {string[]} */
  let row = [];
  const pattern = /(?:"((?:[^"]|"")*)"|([^,\r\n]*))(,|\r?\n|$)/gy;
  while (pattern.lastIndex < text.length) {
    const found = pattern.exec(text);
    if (!found) return [];
    row.push(found[1] === undefined ? found[2] : found[1].replaceAll('""', '"'));
    if (found[3] !== ",") {
      if (row.length > 1 || row[0]) rows.push(row);
      row = [];
    }
  }
  if (row.length) rows.push(row);
  return rows;
}
