// @ts-check
// The leaf of one sound: what there is to hear, to read and to say of it.
import { book, findingOf, h, id, length, level, own, sign, size, titled } from "./book.js";
import {
  shown,
  again,
  contentOf,
  fades,
  gainOf,
  hear,
  lines,
  loopOf,
  open,
  piece,
  play,
  playable,
  player,
  reach,
  rowsOf,
  say,
  state,
  stop,
  takesOf,
  tell,
  verdicts,
  wait,
} from "./hearing.js";
import { jumpOf, mark } from "./index.js";
import { draw, heads, span } from "./drawing.js";
/** @import { Piece, Entry, Side, Row } from "./book.js" */

/** @param {number} number @param {boolean} [show] on a small screen, turn to it */
export function choose(number, show) {
  if (number === state.at) {
    if (show) view("leaf");
    return;
  }
  wait(0);
  player.stop();
  if (state.at >= 0) lines[state.at].firstElementChild?.removeAttribute("aria-current");
  state.at = number;
  state.row = 0;
  state.away = 0;
  if (!playable(state.side)) state.side = playable("new") || !playable("old") ? "new" : "old";
  lines[number].firstElementChild?.setAttribute("aria-current", "true");
  leaf();
  if (show) view("leaf");
}

/** @param {string} which */
export function view(which) {
  if (document.body.dataset.view === which) return;
  document.body.dataset.view = which;
  if (!matchMedia("(max-width: 52rem)").matches) return;
  if (which === "leaf") {
    window.scrollTo(0, 0);
    id("leaf").focus();
    draw();
  } else lines[state.at].querySelector("button")?.focus();
}

/** @param {number} step */
export function turn(step) {
  const now = state.shown.indexOf(lines[state.at]);
  const next = state.shown[Math.min(state.shown.length - 1, Math.max(0, now < 0 ? 0 : now + step))];
  if (!next) return;
  const sounds = player.playing;
  const moved = document.activeElement?.classList.contains("line") || document.activeElement === document.body;
  choose(lines.indexOf(next));
  next.scrollIntoView({ block: "nearest" });
  if (moved && document.body.dataset.view === "index") next.querySelector("button")?.focus({ preventScroll: true });
  else say(open().key);
  if (sounds) play();
}

/** @param {string} name @param {string} text @param {string} letter @param {() => void} act @param {boolean} [pressed] */
function control(name, text, letter, act, pressed) {
  return h(
    "button",
    { type: "button", id: name, click: act, "aria-pressed": pressed === undefined ? null : pressed },
    text,
    letter && " ",
    letter && h("kbd", { "aria-hidden": "true" }, letter),
  );
}

export function leaf() {
  const entry = open();
  const facts = [
    ["category", entry.category],
    ["kind", entry.kind],
    ...Object.entries(entry.settings),
    ...entry.players.map((one) => ["played by", one]),
  ].filter((one) => one[1]);
  const was = entry.oldTitles.filter(([tag, text]) => !entry.titles.some((one) => one[0] === tag && one[1] === text));
  const parts = [
    h("p", { class: "row narrow" }, h("button", { type: "button", click: () => view("index") }, "Back to the index")),
    h("h2", { id: "key", class: "key" }, own(entry.key || "(no key)")),
    h("p", { class: "titles" }, ...entry.titles.flatMap(([tag, text], at) => [at ? ", " : "", titled(tag, text, "")])),
    was.length > 0 &&
      h(
        "p",
        { class: "titles" },
        h(
          "span",
          { class: "before" },
          "old: ",
          ...was.flatMap(([tag, text], at) => [at ? ", " : "", titled(tag, text, "before")]),
        ),
      ),
    entry.loose && h("p", {}, "No definition names this file."),
    entry.jump !== null &&
      h(
        "p",
        { class: "jump" },
        `${entry.jump > 0 ? "▲" : "▼"} ${jumpOf(entry)}: the middle of ${entry.category || "its kind"} is ${level(entry.middle, "LUFS")}.`,
      ),
    transport(entry),
    h("div", { id: "pieces" }, ...rowsOf(entry).map((row, number) => pieceOf(entry, row, number))),
    facts.length > 0 && h("h3", {}, "What the pack says"),
    h("dl", { class: "facts" }, ...facts.flatMap(([name, value]) => [h("dt", {}, name), h("dd", {}, own(value))])),
    entry.findings.length > 0 && h("h3", {}, "Findings"),
    ...entry.findings.map(findingOf),
    verdictOf(entry),
  ];
  const focus = id("leaf").contains(document.activeElement) ? document.activeElement?.id : "";
  id("leaf").replaceChildren(...parts.filter((one) => one));
  if (focus) id(focus)?.focus({ preventScroll: true }); // whoever turns leaves with a button goes on with it
  refresh();
  draw();
}

/** @param {Entry} entry */
function transport(entry) {
  const farthest = Math.ceil(entry.far);
  const slider = h("input", {
    type: "range",
    id: "away",
    min: 0,
    max: farthest,
    step: Math.max(0.1, farthest / 100).toFixed(1),
    value: state.away,
    disabled: !fades(entry),
    "aria-label": "distance in metres",
    input: (/** @type {any} */ event) => distance(Number(event.target.value)),
  });
  return h(
    "div",
    { class: "transport", role: "group", "aria-label": "Listening" },
    h(
      "div",
      { class: "row" },
      control("play", "Play", "space", toggle),
      control("hear-new", "new", "", () => hear("new"), state.side === "new"),
      control("hear-old", "old", "o", () => hear("old"), state.side === "old"),
      h("output", { id: "clock", class: "number" }),
    ),
    h(
      "div",
      { class: "row" },
      control("matched", "levels matched", "m", () => flip("matched"), state.matched),
      control("seam", "round the seam", "l", () => flip("seam"), state.seam),
      control("chance", "takes by weight", "w", () => flip("chance"), state.chance),
      book.bed && control("bed", "over the bed", "b", () => flip("bed"), state.bed),
    ),
    h(
      "div",
      { class: "row" },
      h(
        "span",
        { class: "away" },
        slider,
        control("farther", "far", "n", nearOrFar, state.away > 0),
        h("span", { id: "reached", class: "number" }),
      ),
      h(
        "span",
        { class: "row wide-only" },
        control("previous", "previous", "↑", () => turn(-1)),
        control("next", "next", "↓", () => turn(1)),
      ),
      h(
        "span",
        { class: "row narrow" },
        h("button", { type: "button", id: "before", click: () => turn(-1) }, "previous"),
        h("button", { type: "button", id: "behind", click: () => turn(1) }, "next"),
      ),
    ),
    h("p", { id: "told", "aria-hidden": "true" }),
  );
}

export function toggle() {
  if (player.playing || state.waiting) stop();
  else play();
}

/** @param {"matched"|"seam"|"chance"|"bed"} name */
export function flip(name) {
  state[name] = !state[name];
  if (name === "bed") {
    player
      .over(state.bed)
      .catch((error) => {
        state.bed = false;
        tell(`The bed cannot be played: ${error.message}.`);
      })
      .then(refresh);
  } else if (name === "seam" && player.playing) play();
  else if (name === "matched") again();
  if (name === "chance" && !state.chance) wait(0);
  refresh();
}

/** @param {number} metres */
function distance(metres) {
  state.away = metres;
  const one = piece(state.side);
  if (one) player.level(gainOf(state.side, one));
  refresh();
}

export function nearOrFar() {
  const entry = open();
  if (!fades(entry)) tell("This sound is as loud everywhere.");
  else distance(state.away > entry.near ? 0 : (entry.near + entry.far) / 2);
}

/** @param {Entry} entry @param {Row} row @param {number} number */
function pieceOf(entry, row, number) {
  const both = row.old && contentOf(row.old)?.shape;
  const canvas = h("canvas", {
    class: both ? "" : "alone",
    role: "img",
    "data-row": number,
    "aria-label": `the level of ${row.role} over time, ${both && row.new ? "new above, old below" : row.new ? "new" : "old"}`,
    click: (/** @type {MouseEvent} */ event) => seek(event, number),
  });
  return h(
    "section",
    { class: "piece", "aria-label": row.role },
    h(
      "p",
      { class: "row" },
      h(
        "button",
        { type: "button", class: "choose", "data-row": number, "aria-pressed": "false", click: () => take(number) },
        row.role,
        " ",
        number < 9 && h("kbd", { "aria-hidden": "true" }, String(number + 1)),
      ),
      entry.new.length > 1 &&
        row.new &&
        row.role.startsWith("take") &&
        h("span", { class: "number" }, `weight ${row.new.weight}`),
    ),
    (both || (row.new && contentOf(row.new)?.shape)) &&
      h("div", { class: "plot" }, canvas, h("div", { class: "head", "data-row": number, hidden: true })),
    h("dl", {}, ...described("new", row.new), ...described("old", row.old)),
  );
}

/** @param {Side} side @param {Piece|null} one */
function described(side, one) {
  if (!one) return [];
  const content = contentOf(one);
  const said = [];
  if (!content) said.push("there is no such file, or it is locked in a container of the game's");
  else {
    if (content.format) {
      said.push(
        `${length(content.seconds || 0)}, ${level(content.loudness, "LUFS")}, true peak ${level(content.truePeak, "dBTP")}, ${size(content.size)}`,
      );
      said.push(content.format + (content.copied ? " (played from a copy in FLAC: no browser decodes it)" : ""));
    }
    if (content.trouble) said.push(content.trouble);
  }
  const whose = one.ofGame ? "the game's own " : "";
  const rest = said.map((text) => h("div", { class: "number" }, text));
  return [
    h("dt", {}, side),
    h("dd", { class: side === "old" ? "before" : "" }, h("div", {}, whose, own(one.file)), ...rest),
  ];
}

/** @param {Entry} entry */
function verdictOf(entry) {
  const one = verdicts.of(entry);
  const note = h("textarea", { id: "note", rows: 2, input: () => judge({ note: note.value }) });
  note.value = one.note;
  return h(
    "section",
    { "aria-labelledby": "your-verdict" },
    h("h3", { id: "your-verdict" }, "Your verdict"),
    verdicts.isOver(entry) && h("p", { id: "over" }, "It was given before this sound changed."),
    h(
      "p",
      { class: "row" },
      control("keep", "✓ keep", "k", () => judge({ verdict: "keep" }), one.verdict === "keep"),
      control("redo", "↻ redo", "r", () => judge({ verdict: "redo" }), one.verdict === "redo"),
      control("none", "none", "e", () => judge({ verdict: "" }), !one.verdict),
    ),
    h("p", {}, h("label", { for: "note" }, "Note "), h("kbd", { "aria-hidden": "true" }, "t"), note),
  );
}

/** @param {{verdict?: string, note?: string}} said */
export function judge(said) {
  const entry = open();
  const before = verdicts.isOver(entry) ? { ...verdicts.of(entry), verdict: "" } : verdicts.of(entry);
  verdicts.say({ ...before, ...said, heard: entry.heard }); // a verdict of another sound is none of this one
  mark(lines[state.at], entry);
  id("over")?.remove();
  refresh();
  if (said.verdict !== undefined) say(said.verdict || "no verdict");
}

/** @param {number} number */
export function take(number) {
  if (!rowsOf(open())[number]) return;
  state.row = number;
  state.chance = false;
  const row = rowsOf(open())[number];
  if (!row[state.side]) state.side = row.new ? "new" : "old";
  play();
}

/** @param {MouseEvent} event @param {number} number */
function seek(event, number) {
  const canvas = /** @type {HTMLCanvasElement} */ (event.currentTarget);
  const row = rowsOf(open())[number];
  const both = row.new && row.old && contentOf(row.old)?.shape;
  state.row = number;
  if (both) state.side = event.offsetY > canvas.clientHeight / 2 ? "old" : "new";
  else state.side = row.new ? "new" : "old";
  play({ at: (event.offsetX / canvas.clientWidth) * span(open()) });
}

/** @param {string} name @param {boolean} on @param {boolean} [off] there is nothing that it could do */
function press(name, on, off) {
  const button = id(name);
  if (!button) return;
  button.setAttribute("aria-pressed", String(on));
  button.disabled = Boolean(off);
}

/** What the buttons and figures say is made true again. */
export function refresh() {
  if (state.at < 0) return;
  const entry = open();
  const content = contentOf(piece(state.side));
  const one = verdicts.of(entry);
  id("play").firstChild.data = player.playing ? "Stop" : "Play";
  press("hear-new", state.side === "new", !playable("new"));
  press("hear-old", state.side === "old", !playable("old"));
  press("matched", state.matched);
  press("seam", state.seam, !content || !loopOf(state.side, content));
  press("chance", state.chance, takesOf(state.side).length < 2);
  press("bed", state.bed);
  press("farther", state.away > entry.near, !fades(entry));
  id("away").disabled = !fades(entry);
  press("keep", one.verdict === "keep");
  press("redo", one.verdict === "redo");
  press("none", !one.verdict);
  id("away").value = state.away;
  const left = reach(entry, state.away);
  id("reached").textContent = fades(entry)
    ? `${state.away.toFixed(0)} m: ${left > 0 ? `${sign((20 * Math.log10(left)).toFixed(1))} dB` : "not heard"}`
    : "heard everywhere";
  for (const button of document.querySelectorAll("#pieces .choose")) {
    button.setAttribute("aria-pressed", String(Number(/** @type {HTMLElement} */ (button).dataset.row) === state.row));
  }
  clock();
  heads();
}

function clock() {
  const content = contentOf(piece(state.side));
  id("clock").textContent =
    `${player.currentTime.toFixed(2)} of ${content && content.seconds ? content.seconds.toFixed(2) : "0.00"} s`;
}

let ticking = false;

export function tick() {
  if (ticking) return;
  ticking = true;
  const step = () => {
    clock();
    heads();
    ticking = player.playing;
    if (ticking) requestAnimationFrame(step);
  };
  requestAnimationFrame(step);
}

shown.refresh = refresh;
shown.tick = tick;
