// @ts-check
// What is open, which side and piece of it is heard, how loud, and from where.
import { BEFORE_SEAM, BETWEEN, book, entries, id, seen } from "./book.js";
import { Verdicts } from "./verdicts.js";
import { Player } from "./player.js";
/** @import { Content, Piece, Entry, Side, Row } from "./book.js" */

export const player = new Player();
export const verdicts = new Verdicts();
export const state = {
  at: -1,
  side: /** @type {Side} */ ("new"),
  row: 0,
  matched: false,
  seam: false,
  chance: false,
  bed: false,
  away: 0, // metres
  waiting: 0, // the timer of the next take, where takes are played one after the other
  shown: /** @type {HTMLLIElement[]} */ ([]), // the lines that are listed
};
/** @type {HTMLLIElement[]} */
export const lines = [];

/** What shows how things stand; whoever draws that puts it here. */
export const shown = { refresh() {}, tick() {} };

/** @returns {Entry} */
export const open = () => entries[state.at];

/** @param {Entry} entry @returns {Row[]} */
export function rowsOf(entry) {
  const roles = [...new Set([...entry.new, ...entry.old].map((one) => one.role))];
  const named = (/** @type {Piece[]} */ pieces, /** @type {string} */ role) =>
    pieces.find((one) => one.role === role) || null;
  return roles.map((role) => ({ role, new: named(entry.new, role), old: named(entry.old, role) }));
}

/** @param {Piece|null} piece @returns {Content|null} */
export const contentOf = (piece) => (piece && piece.content !== null ? book.contents[piece.content] : null);

/** Can any piece of a side be played? @param {Side} side */
export const playable = (side) => open()[side].some((one) => contentOf(one) && !contentOf(one)?.trouble);

/** The piece that is to be heard: of the row, or the side's first. @param {Side} side @returns {Piece|null} */
export function piece(side) {
  const entry = open();
  const row = rowsOf(entry)[state.row];
  return (row && row[side]) || entry[side][0] || null;
}

/** Where a piece goes round, in seconds. @param {Side} side @param {Content} content @returns {[number, number]|null} */
export function loopOf(side, content) {
  if (content.loop) return content.loop;
  const entry = open();
  return (side === "new" ? entry.loop : entry.oldLoop) && content.seconds ? [0, content.seconds] : null;
}

/** Does a sound fade with distance? In some games one in stereo is heard everywhere. @param {Entry} entry */
export function fades(entry) {
  const content = contentOf(piece(state.side));
  return entry.positional && !(book.stereo === "everywhere" && content && (content.channels || 1) > 1);
}

/** What is left of a sound at a distance, by the game's curve. @param {Entry} entry @param {number} metres */
export function reach(entry, metres) {
  if (!fades(entry)) return 1;
  if (metres >= entry.far) return 0;
  if (metres <= entry.near) return 1;
  if (book.curve === "straight") return (entry.far - metres) / (entry.far - entry.near);
  return Math.min(1, (entry.near || 1) / metres);
}

/** By how much a piece is made louder or quieter. @param {Side} side @param {Piece} one */
export function gainOf(side, one) {
  const entry = open();
  const away = reach(entry, state.away);
  const content = contentOf(one);
  if (state.matched && content && typeof content.heard === "number") {
    const all = [...entry.new, ...entry.old].map((other) => contentOf(other)?.heard);
    const quietest = Math.min(.../** @type {number[]} */ (all.filter((loud) => typeof loud === "number")));
    return 10 ** ((quietest - content.heard) / 20) * away;
  }
  return (side === "new" ? entry.volume : entry.oldVolume) * one.volume * away;
}

/** The next take comes after so many ms; with none, no more of them. @param {number} ms */
export function wait(ms) {
  clearTimeout(state.waiting);
  const next = () => {
    state.waiting = 0;
    play();
  };
  state.waiting = ms ? window.setTimeout(next, ms) : 0;
}

/** Are takes picked by their weights now? Of one alone there is nothing to pick. */
function picks() {
  return state.chance && takesOf(state.side).length > 1;
}

/** @param {{at?: number|null}} [how] in seconds; with null it goes on from where what plays has come to by then */
export async function play(how = {}) {
  wait(0);
  id("told").textContent = "";
  if (picks() && how.at === undefined) pick();
  const one = piece(state.side);
  const content = contentOf(one);
  if (!one || !content || content.trouble) {
    player.stop();
    tell(
      content && content.trouble
        ? `It cannot be played: ${content.trouble}.`
        : `There is no ${state.side} sound to play.`,
    );
    shown.refresh();
    return;
  }
  const loop = state.seam ? loopOf(state.side, content) : null;
  const at = how.at !== undefined ? how.at : loop ? Math.max(0, loop[1] - BEFORE_SEAM) : 0;
  const pitch = (state.side === "new" ? open().pitch : open().oldPitch) * one.pitch;
  try {
    await player.play(content, { at, rate: pitch, gain: gainOf(state.side, one), loop });
  } catch (error) {
    if (contentOf(piece(state.side)) !== content) return; // something else is open by now
    const decodes = !(error instanceof DOMException);
    const why = decodes ? /** @type {Error} */ (error).message : `this browser cannot decode ${content.format}`;
    player.stop();
    tell(`It cannot be played: ${why}.`);
  }
  shown.refresh();
  shown.tick();
}

/** The rows that hold a take which can be played. @param {Side} side @returns {number[]} */
export function takesOf(side) {
  const can = (/** @type {Piece|null} */ one) => one && contentOf(one) && !contentOf(one)?.trouble;
  return rowsOf(open()).flatMap((row, number) => (row.role.startsWith("take") && can(row[side]) ? [number] : []));
}

/** A take by its weight, as the game picks one. */
function pick() {
  const rows = rowsOf(open());
  const takes = takesOf(state.side);
  const weights = takes.map((number) => /** @type {Piece} */ (rows[number][state.side]).weight);
  const all = weights.reduce((sum, one) => sum + one, 0);
  let left = Math.random() * (all || takes.length);
  const found = takes.find((_, at) => (left -= all ? weights[at] : 1) < 0);
  state.row = found ?? takes[takes.length - 1];
}

player.ended = () => {
  if (picks()) wait(BETWEEN);
  shown.refresh();
};

export function stop() {
  wait(0);
  player.stop();
  shown.refresh();
}

/** What has changed is heard at once, at the same position. */
export function again() {
  if (player.playing) play({ at: null });
  else shown.refresh();
}

/** @param {Side} side */
export function hear(side) {
  if (!playable(side)) {
    tell(
      open()[side].length ? `The ${side} sound cannot be played here.` : `There is no ${side} sound under this key.`,
    );
    return;
  }
  const position = player.currentTime;
  state.side = side;
  const content = contentOf(piece(side));
  const over = player.playing && content && position >= (content.seconds || 0);
  again();
  if (over) tell(`The ${side} one is over by then: it begins anew.`);
  else say(side);
}

/** @param {string} text */
export function say(text) {
  id("said").textContent = seen(text);
}

/** What has to be seen as well. @param {string} text */
export function tell(text) {
  say(text);
  const told = id("told");
  if (told) told.textContent = seen(text);
}
