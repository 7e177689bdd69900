// @ts-check
// What the page is told, and the few words that all its parts share.

/**
 * @typedef {{digest: string, size: number, trouble: string, format?: string, channels?: number,
 *   seconds?: number, loudness?: number|null, heard?: number|null,
 *   peak?: number|null, truePeak?: number|null, loop?: [number, number]|null, copied?: boolean, shape?: string}} Content
 * @typedef {{role: string, file: string, content: number|null, weight: number, volume: number, pitch: number,
 *   ofGame: boolean}} Piece
 * @typedef {{id: string, severity: "error" | "warning", place: string, reason: string, effect: string, cure: string}} Finding
 * @typedef {{key: string, titles: [string, string][], oldTitles: [string, string][], category: string, kind: string,
 *   settings: Record<string, string>, volume: number, oldVolume: number, pitch: number, oldPitch: number, near: number,
 *   far: number, positional: boolean, loop: boolean, oldLoop: boolean, new: Piece[], old: Piece[], players: string[],
 *   findings: Finding[], level: number|null, seconds: number, size: number, jump: number|null, middle: number|null,
 *   heard: string, loose: boolean}} Entry
 * @typedef {{key: string, verdict: string, note: string, heard: string}} Verdict
 * @typedef {{identity: string, against: string, curve: string, stereo: string, beside: string, names: Record<string, string>,
 *   bed: string, contents: Content[], entries: Entry[], remarks: Finding[], verdicts: Verdict[]}} Book
 * @typedef {"new"|"old"} Side
 * @typedef {{role: string, new: Piece|null, old: Piece|null}} Row
 */

export const HELD = 40e6; // samples that are kept decoded
export const BEFORE_SEAM = 1.5; // seconds that are heard of the end before it goes round
export const BETWEEN = 500; // ms between two takes that are picked by weight
export const FADE = 0.008; // seconds: no click where one sound takes another's place
export const MOST_LINES = 200; // findings that are spelled out at the end
export const FLOOR = -60; // dB, the lowest that is drawn

/** @type {Book} */
export const book = JSON.parse(/** @type {string} */ (id("data").textContent));
export const entries = book.entries;

/** @param {string} name @returns {any} */
export function id(name) {
  return document.getElementById(name);
}

/**
 * An element with attributes and children; texts stay texts, and show what is not seen in them.
 * @param {string} tag
 * @param {Record<string, any>} [attributes]
 * @param {...(Node|string|null|false|undefined)} children
 * @returns {any}
 */
export function h(tag, attributes, ...children) {
  const made = document.createElement(tag);
  for (const [name, value] of Object.entries(attributes || {})) {
    if (typeof value === "function") made.addEventListener(name, value);
    else if (value === true) made.setAttribute(name, "");
    else if (value !== false && value !== null && value !== undefined) made.setAttribute(name, String(value));
  }
  const given = /** @type {(Node|string)[]} */ (children.filter((one) => one || one === ""));
  made.append(...given.map((one) => (typeof one === "string" ? seen(one) : one)));
  return made;
}

const UNSEEN = /[\u0000-\u0008\u000b-\u001f\u007f-\u009f\u061c\u200e\u200f\u2028-\u202e\u2066-\u2069]|\p{Surrogate}/gu;

/** A text with what is not seen, or turns others round, spelled out. @param {string} text */
export function seen(text) {
  return text.replace(UNSEEN, (sign) => `\\u${sign.charCodeAt(0).toString(16).padStart(4, "0")}`);
}

/** A text of a stranger's, in whatever direction it is written. @param {string} text */
export function own(text) {
  return h("bdi", {}, text);
}

/** @param {number|null|undefined} value @param {string} unit */
export function level(value, unit) {
  return value === null || value === undefined ? "silent" : `${sign(value.toFixed(1))} ${unit}`;
}

/** A number with a minus that is read as one, and without one before nothing. @param {string} text */
export function sign(text) {
  return Number(text) === 0 ? text.replace("-", "") : text.replace("-", "−");
}

/** @param {number} seconds */
export function length(seconds) {
  if (seconds < 60) return `${seconds.toFixed(2)} s`;
  return `${Math.floor(seconds / 60)}:${String(Math.floor(seconds % 60)).padStart(2, "0")} min`;
}

/** @param {number} bytes */
export function size(bytes) {
  if (bytes < 1000) return `${bytes} bytes`;
  return bytes < 1e6 ? `${(bytes / 1e3).toFixed(1)} kB` : `${(bytes / 1e6).toFixed(1)} MB`;
}

/** @param {number} count @param {string} noun */
export function counted(count, noun) {
  return `${count.toLocaleString("en")} ${noun}${count === 1 ? "" : "s"}`;
}

/** @param {string} tag @param {string} text @param {string} kind */
export function titled(tag, text, kind) {
  const lang = /^[a-z]{2}(-[A-Z]{2})?$/.test(tag) ? tag : null; // for those who have it read to them
  return h("span", { class: kind, lang }, own(text), tag && h("span", { class: "number" }, ` (${tag})`));
}

/** @param {Finding} one */
export function findingOf(one) {
  return h(
    "div",
    { class: one.severity === "error" ? "finding error" : "finding" },
    h("p", {}, h("code", {}, `${one.severity === "error" ? "✗" : "!"} ${one.id}`), " ", own(one.reason)),
    h("p", { class: "number" }, own(one.place)),
    h("p", {}, `In the game: ${one.effect}. Cure: `, own(one.cure), "."),
  );
}
