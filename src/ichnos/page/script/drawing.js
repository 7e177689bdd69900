// @ts-check
// The pictures on the leaf.
import { FLOOR } from "./book.js";
import { contentOf, loopOf, open, player, rowsOf, state } from "./hearing.js";
/** @import { Content, Entry, Row, Side } from "./book.js" */

/** @param {Entry} entry how many seconds its pictures show */
export function span(entry) {
  return Math.max(0.05, ...[...entry.new, ...entry.old].map((one) => contentOf(one)?.seconds || 0));
}

/** @type {Map<string, Uint8Array>} */
const shapes = new Map();

/** @param {Content} content */
function shapeOf(content) {
  let found = shapes.get(content.digest);
  if (!found) {
    found = Uint8Array.from(atob(content.shape || ""), (one) => one.charCodeAt(0));
    shapes.set(content.digest, found);
  }
  return found;
}

/**
 * Where a side of a picture is drawn: from the line up (-1) or down (1), so high; what it shows, on so much of the width.
 * @typedef {{side: Side, content: Content, base: number, way: number, high: number, wide: number, seconds: number}} Half
 */

/** Draw all of the leaf's pictures. */
export function draw() {
  if (state.at < 0) return;
  const style = getComputedStyle(document.documentElement);
  const colour = (/** @type {string} */ name) => style.getPropertyValue(`--${name}`).trim();
  const colours = Object.fromEntries(
    ["ink", "soft", "pencil", "rule", "accent", "leaf"].map((name) => [name, colour(name)]),
  );
  const rows = rowsOf(open());
  for (const canvas of /** @type {NodeListOf<HTMLCanvasElement>} */ (document.querySelectorAll("#pieces canvas"))) {
    const row = rows[Number(canvas.dataset.row)];
    if (row) picture(canvas, row, colours);
  }
  heads();
}

/** New above the line in ink, old below it in pencil. @param {HTMLCanvasElement} canvas @param {Row} row @param {Record<string, string>} colours */
function picture(canvas, row, colours) {
  const scale = devicePixelRatio || 1;
  const [wide, high] = [canvas.clientWidth, canvas.clientHeight];
  if (!wide) return;
  canvas.width = Math.round(wide * scale);
  canvas.height = Math.round(high * scale);
  const pen = /** @type {CanvasRenderingContext2D} */ (canvas.getContext("2d"));
  pen.scale(scale, scale);
  pen.font = '11px ui-monospace, "DejaVu Sans Mono", monospace';
  pen.textAlign = "right";
  const halves = halvesOf(row, wide, high);
  for (const half of halves) ruled(pen, half, colours);
  for (const half of halves) {
    shape(pen, half, colours);
    loop(pen, half, colours);
  }
  pen.fillStyle = colours.ink;
  pen.fillRect(0, Math.round(halves[0].base) - 0.5, wide, 1);
  for (const half of halves) labelled(pen, half, colours, halves.length === 2);
}

/** @param {Row} row @param {number} wide @param {number} high @returns {Half[]} */
function halvesOf(row, wide, high) {
  const sides = /** @type {Side[]} */ (["new", "old"]).filter((side) => contentOf(row[side])?.shape);
  const both = sides.length === 2;
  return sides.map((side) => ({
    side,
    content: /** @type {Content} */ (contentOf(row[side])),
    base: both ? high / 2 : side === "new" ? high - 1 : 1,
    way: side === "new" ? -1 : 1,
    high: both ? high / 2 : high - 1,
    wide,
    seconds: span(open()),
  }));
}

/** A line every 20 dB. @param {CanvasRenderingContext2D} pen @param {Half} half @param {Record<string, string>} colours */
function ruled(pen, half, colours) {
  pen.fillStyle = colours.rule;
  for (const db of [-40, -20]) {
    pen.fillRect(0, Math.round(half.base + half.way * half.high * (1 - db / FLOOR)), half.wide, 1);
  }
}

/** Peaks shaded, as with pencil and pen, and the RMS filled. @param {CanvasRenderingContext2D} pen @param {Half} half @param {Record<string, string>} colours */
function shape(pen, half, colours) {
  const found = shapeOf(half.content);
  const columns = found.length / 2;
  const broad = (half.wide * (half.content.seconds || 0)) / half.seconds;
  const stroke = (/** @type {number} */ x, /** @type {number} */ value) => {
    const tall = (value / 255) * half.high;
    pen.fillRect(x, half.way < 0 ? half.base - tall : half.base, 1, tall);
  };
  for (let x = 0; x < broad; x += 1) {
    const first = Math.floor((x / broad) * columns);
    const last = Math.max(first + 1, Math.floor(((x + 1) / broad) * columns));
    let [peak, rms] = [0, 0];
    for (let at = first; at < last; at += 1) {
      peak = Math.max(peak, found[2 * at]);
      rms = Math.max(rms, found[2 * at + 1]);
    }
    pen.fillStyle = half.side === "new" ? colours.soft : colours.pencil;
    if (x % 3 !== 2) stroke(x, peak);
    pen.fillStyle = half.side === "new" ? colours.ink : colours.pencil;
    stroke(x, rms);
  }
}

/** Where it goes round, in brackets. @param {CanvasRenderingContext2D} pen @param {Half} half @param {Record<string, string>} colours */
function loop(pen, half, colours) {
  const found = loopOf(half.side, half.content);
  if (!found) return;
  const top = half.way < 0 ? half.base - half.high : half.base;
  const end = half.way < 0 ? top : half.base + half.high - 2;
  const at = found.map((edge) => Math.min(half.wide - 2, Math.max(0, (edge / half.seconds) * half.wide)));
  pen.fillStyle = colours.accent;
  pen.fillRect(at[0], top, 2, half.high);
  pen.fillRect(at[0], end, 8, 2);
  pen.fillRect(at[1] - 2, top, 2, half.high);
  pen.fillRect(at[1] - 8, end, 8, 2);
}

/** @param {CanvasRenderingContext2D} pen @param {Half} half @param {Record<string, string>} colours @param {boolean} named */
function labelled(pen, half, colours, named) {
  const text = named ? `${half.side}  −20 dBFS` : "−20 dBFS";
  const y = half.base + half.way * half.high * (2 / 3) - 3;
  const room = pen.measureText(text).width + 8;
  pen.fillStyle = colours.leaf;
  pen.fillRect(half.wide - room, y - 10, room, 13);
  pen.fillStyle = colours.soft;
  pen.fillText(text, half.wide - 4, y);
}

/** Where the sound is that plays: a mark over its picture, which is not drawn anew. */
export function heads() {
  const rows = rowsOf(open());
  for (const head of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll("#pieces .head"))) {
    const row = rows[Number(head.dataset.row)];
    head.hidden = !(Number(head.dataset.row) === state.row && player.playing && row && row[state.side]);
    const both = row && contentOf(row.new)?.shape && contentOf(row.old)?.shape;
    head.style.left = `${(100 * player.currentTime) / span(open())}%`;
    head.style.top = both && state.side === "old" ? "50%" : "0";
    head.style.height = both ? "50%" : "100%";
  }
}
