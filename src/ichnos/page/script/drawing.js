// @ts-check
// The pictures on the leaf.
import { contentOf, loopOf, open, player, rowsOf, state } from "./hearing.js";
/** @import { Content, Entry, Side, Row } from "./book.js" */

/** @param {Entry} entry how many seconds its pictures show */
export function span(entry) {
  return Math.max(0.05, ...[...entry.new, ...entry.old].map((one) => contentOf(one)?.seconds || 0));
}

/** @type {Map<string, Uint8Array>} */
export const shapes = new Map();

/** @param {Content} content */
export function shapeOf(content) {
  let found = shapes.get(content.digest);
  if (!found) {
    found = Uint8Array.from(atob(content.shape || ""), (one) => one.charCodeAt(0));
    shapes.set(content.digest, found);
  }
  return found;
}

export function draw() {
  if (state.at < 0) return;
  const style = getComputedStyle(document.documentElement);
  const colour = (/** @type {string} */ name) => style.getPropertyValue(`--${name}`).trim();
  const colours = {
    ink: colour("ink"),
    soft: colour("soft"),
    pencil: colour("pencil"),
    rule: colour("rule"),
    accent: colour("accent"),
    leaf: colour("leaf"),
  };
  const rows = rowsOf(open());
  for (const canvas of /** @type {NodeListOf<HTMLCanvasElement>} */ (document.querySelectorAll("#pieces canvas"))) {
    const number = Number(canvas.dataset.row);
    if (rows[number]) picture(canvas, rows[number], number, colours);
  }
}

/** New above the line in ink, old below it in pencil. @param {HTMLCanvasElement} canvas @param {Row} row @param {number} number @param {Record<string, string>} colours */
export function picture(canvas, row, number, colours) {
  const scale = devicePixelRatio || 1;
  const [wide, high] = [canvas.clientWidth, canvas.clientHeight];
  if (!wide) return;
  if (canvas.width !== Math.round(wide * scale) || canvas.height !== Math.round(high * scale)) {
    canvas.width = Math.round(wide * scale);
    canvas.height = Math.round(high * scale);
  }
  const pen = /** @type {CanvasRenderingContext2D} */ (canvas.getContext("2d"));
  pen.setTransform(scale, 0, 0, scale, 0, 0);
  pen.clearRect(0, 0, wide, high);
  const seconds = span(open());
  const sides = /** @type {Side[]} */ (["new", "old"]).filter((side) => contentOf(row[side])?.shape);
  const half = sides.length === 2 ? high / 2 : high - 1;
  const base = sides.length === 2 || sides[0] === "new" ? half : 1;
  const up = { new: -1, old: sides.length === 2 ? 1 : 1 };
  pen.font = '11px ui-monospace, "DejaVu Sans Mono", monospace';
  for (const side of sides) {
    pen.strokeStyle = colours.rule;
    pen.lineWidth = 1;
    for (const db of [-40, -20]) {
      const y = Math.round(base + up[side] * half * (1 + db / 60)) + 0.5;
      pen.beginPath();
      pen.moveTo(0, y);
      pen.lineTo(wide, y);
      pen.stroke();
    }
  }
  for (const side of sides) {
    const content = /** @type {Content} */ (contentOf(row[side]));
    const shape = shapeOf(content);
    const columns = shape.length / 2;
    const broad = (wide * (content.seconds || 0)) / seconds;
    for (let x = 0; x < broad; x += 1) {
      const first = Math.floor((x / broad) * columns);
      const last = Math.max(first + 1, Math.floor(((x + 1) / broad) * columns));
      let peak = 0;
      let rms = 0;
      for (let at = first; at < last; at += 1) {
        peak = Math.max(peak, shape[2 * at]);
        rms = Math.max(rms, shape[2 * at + 1]);
      }
      const stroke = (/** @type {number} */ value) => {
        const tall = (value / 255) * half;
        pen.fillRect(x, up[side] < 0 ? base - tall : base, 1, tall);
      };
      pen.fillStyle = side === "new" ? colours.soft : colours.pencil;
      if (x % 3 !== 2) stroke(peak); // as pencils and pens shade
      pen.fillStyle = side === "new" ? colours.ink : colours.pencil;
      stroke(rms);
    }
    const loop = loopOf(side, content);
    if (loop) {
      pen.fillStyle = colours.accent;
      for (const [edge, inward] of [
        [loop[0], 1],
        [loop[1], -1],
      ]) {
        const x = Math.min(wide - 1, Math.max(0, (edge / seconds) * wide - (inward < 0 ? 2 : 0)));
        pen.fillRect(x, up[side] < 0 ? base - half : base, 2, half);
        pen.fillRect(inward > 0 ? x : x - 6, up[side] < 0 ? base - half : base + half - 2, 8, 2);
      }
    }
  }
  pen.fillStyle = colours.ink;
  pen.fillRect(0, Math.round(base) - (base > 1 ? 0.5 : 1), wide, 1);
  pen.textAlign = "right";
  for (const side of sides) {
    const name = sides.length === 2 ? `${side}  −20 dBFS` : "−20 dBFS";
    const y = base + up[side] * half * (2 / 3) - 3;
    const room = pen.measureText(name).width;
    pen.fillStyle = colours.leaf;
    pen.fillRect(wide - room - 8, y - 10, room + 8, 13);
    pen.fillStyle = colours.soft;
    pen.fillText(name, wide - 4, y);
  }
  if (number === state.row && (player.playing || player.currentTime > 0) && row[state.side]) {
    const x = (player.currentTime / seconds) * wide;
    const both = sides.length === 2;
    pen.fillStyle = colours.accent;
    pen.fillRect(x - 1, both && state.side === "old" ? base : 0, 2.5, both ? half : high);
  }
}
