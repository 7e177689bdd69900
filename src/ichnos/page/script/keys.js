// @ts-check
// What the keys do.
import { book, id } from "./book.js";
import { hear, lines, state } from "./hearing.js";
import { flip, judge, nearOrFar, take, toggle, turn } from "./leaf.js";

/** @type {[string, string, () => void][]} */
export const LETTERS = [
  ["o", "old or new, at the same position", () => hear(state.side === "new" ? "old" : "new")],
  ["m", "levels matched, or as they are", () => flip("matched")],
  ["l", "round the seam of a loop", () => id("seam").disabled || flip("seam")],
  ["w", "takes by weight, one after the other", () => id("chance").disabled || flip("chance")],
  ["n", "near or far", nearOrFar],
  ["b", "over the bed, or not", () => book.bed && flip("bed")],
  ["k", "keep", () => judge({ verdict: "keep" })],
  ["r", "redo", () => judge({ verdict: "redo" })],
  ["e", "no verdict", () => judge({ verdict: "" })],
  ["t", "write a note", () => id("note").focus()],
  ["/", "look for a word", () => id("word").focus()],
];

const slot = "ichnos letters";
const letters = id("letters");

export function remembered() {
  try {
    letters.checked = localStorage.getItem(slot) !== "off";
  } catch (error) {
    letters.checked = true;
  }
}

letters.addEventListener("change", () => {
  try {
    localStorage.setItem(slot, letters.checked ? "on" : "off");
  } catch (error) {
    // it holds until the page is closed
  }
});

/** @param {KeyboardEvent} event */
export function key(event) {
  if (event.ctrlKey || event.metaKey || event.altKey || state.at < 0) return;
  const target = /** @type {HTMLElement} */ (event.target);
  const writes = target.matches("textarea, select, input:not([type=checkbox]):not([type=range])");
  if (event.key === "Escape" && writes) {
    target.blur();
    lines[state.at].querySelector("button")?.focus();
    return;
  }
  if (writes && !(target.id === "word" && event.key === "ArrowDown")) return;
  const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
  if (step && !target.matches("input[type=range], summary")) {
    event.preventDefault();
    if (target.id === "word") {
      target.blur();
      lines[state.at].querySelector("button")?.focus();
    }
    turn(step);
  } else if (event.key === " " && !target.matches("button:not(.line), summary, input, label")) {
    event.preventDefault();
    toggle();
  } else if (letters.checked && /^[1-9]$/.test(event.key)) take(Number(event.key) - 1);
  else if (letters.checked) {
    const found = LETTERS.find(([letter]) => letter === event.key.toLowerCase());
    if (!found) return;
    event.preventDefault();
    found[2]();
  }
}
