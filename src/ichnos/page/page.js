// @ts-check
// The listening page. Everything from the pack becomes text by textContent, and nothing is ever parsed as HTML.
"use strict";

/**
 * @typedef {{digest: string, size: number, trouble: string, format?: string, seconds?: number, loudness?: number|null,
 *   peak?: number|null, truePeak?: number|null, loop?: [number, number]|null, copied?: boolean, shape?: string}} Content
 * @typedef {{role: string, file: string, content: number|null, weight: number, volume: number, pitch: number,
 *   ofGame: boolean}} Piece
 * @typedef {{id: string, grave: boolean, place: string, reason: string, effect: string, cure: string}} Finding
 * @typedef {{key: string, titles: [string, string][], oldTitles: [string, string][], category: string, kind: string,
 *   settings: Record<string, string>, volume: number, oldVolume: number, pitch: number, oldPitch: number, near: number,
 *   far: number, positional: boolean, loop: boolean, oldLoop: boolean, new: Piece[], old: Piece[], players: string[],
 *   findings: Finding[], level: number|null, seconds: number, size: number, jump: number|null, middle: number|null,
 *   heard: string, loose: boolean}} Entry
 * @typedef {{key: string, verdict: string, note: string, heard: string}} Verdict
 * @typedef {{identity: string, against: string, curve: string, beside: string, names: Record<string, string>,
 *   bed: string, contents: Content[], entries: Entry[], remarks: Finding[], verdicts: Verdict[]}} Book
 * @typedef {"new"|"old"} Side
 * @typedef {{role: string, new: Piece|null, old: Piece|null}} Row
 */

(() => {
  const HELD = 40e6; // samples that are kept decoded
  const BEFORE_SEAM = 1.5; // seconds that are heard of the end before it goes round
  const BETWEEN = 500; // ms between two takes that are picked by weight
  const FADE = 0.008; // seconds: no click where one sound takes another's place
  const MOST_LINES = 200; // findings that are spelled out at the end
  const FLOOR = -60; // dB, the lowest that is drawn

  /** @type {Book} */
  const book = JSON.parse(/** @type {string} */ (id("data").textContent));
  const entries = book.entries;

  /** @param {string} name @returns {any} */
  function id(name) {
    return document.getElementById(name);
  }

  /**
   * An element with attributes and children; texts stay texts.
   * @param {string} tag
   * @param {Record<string, any>} [attributes]
   * @param {...(Node|string|null|false|undefined)} children
   * @returns {any}
   */
  function h(tag, attributes, ...children) {
    const made = document.createElement(tag);
    for (const [name, value] of Object.entries(attributes || {})) {
      if (typeof value === "function") made.addEventListener(name, value);
      else if (value === true) made.setAttribute(name, "");
      else if (value !== false && value !== null && value !== undefined) made.setAttribute(name, String(value));
    }
    made.append(.../** @type {(Node|string)[]} */ (children.filter((one) => one || one === "")));
    return made;
  }

  /** A text of a stranger's, in whatever direction it is written. @param {string} text */
  function own(text) {
    return h("bdi", {}, text);
  }

  /** @param {number|null|undefined} value @param {string} unit */
  function level(value, unit) {
    return value === null || value === undefined ? "silent" : `${sign(value.toFixed(1))} ${unit}`;
  }

  /** A number with a minus that is read as one, and without one before nothing. @param {string} text */
  function sign(text) {
    return Number(text) === 0 ? text.replace("-", "") : text.replace("-", "−");
  }

  /** @param {number} seconds */
  function length(seconds) {
    if (seconds < 60) return `${seconds.toFixed(2)} s`;
    return `${Math.floor(seconds / 60)}:${String(Math.floor(seconds % 60)).padStart(2, "0")} min`;
  }

  /** @param {number} bytes */
  function size(bytes) {
    if (bytes < 1000) return `${bytes} bytes`;
    return bytes < 1e6 ? `${(bytes / 1e3).toFixed(1)} kB` : `${(bytes / 1e6).toFixed(1)} MB`;
  }

  /** @param {number} count @param {string} noun */
  function counted(count, noun) {
    return `${count.toLocaleString("en")} ${noun}${count === 1 ? "" : "s"}`;
  }

  // ---------------------------------------------------------------- verdicts

  /** What was said of each sound, kept in the browser. */
  class Verdicts {
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
      stored();
    }

    /** The table, as CSV (RFC 4180). */
    table() {
      const cell = (/** @type {string} */ text) => (/[",\r\n]|^\s|\s$/.test(text) ? `"${text.replaceAll('"', '""')}"` : text);
      const rows = [...this.said.values()].sort((one, other) => (one.key < other.key ? -1 : 1));
      const lines = rows.map((one) => [one.key, one.verdict, one.note, one.heard].map(cell).join(","));
      return ["key,verdict,note,heard", ...lines, ""].join("\r\n");
    }

    /** Take a table in. @param {string} text @returns {string} what came of it, in a sentence */
    take(text) {
      const [head, ...rows] = cells(text.replace(/^\uFEFF/, ""));
      const at = Object.fromEntries(["key", "verdict", "note", "heard"].map((name) => [name, (head || []).indexOf(name)]));
      if (at.key < 0 || at.verdict < 0) return "This is no table of verdicts: its first line is not key,verdict,note,heard.";
      const keys = new Set(entries.map((one) => one.key));
      const odd = [];
      let count = 0;
      let strange = 0;
      this.load();
      for (const [number, row] of rows.entries()) {
        const [key, verdict, note, heard] = ["key", "verdict", "note", "heard"].map((name) => row[at[name]] || "");
        if (!key || !["", "keep", "redo"].includes(verdict)) {
          odd.push(number + 2);
          continue;
        }
        this.said.set(key, { key, verdict, note, heard });
        count += 1;
        strange += keys.has(key) ? 0 : 1;
      }
      this.keep();
      const more = strange ? ` ${strange} of them are of keys that this pack has not.` : "";
      const lines = odd.length ? ` Not understood, and left out: row ${odd.slice(0, 9).join(", ")}${odd.length > 9 ? " and others" : ""}.` : "";
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

  function stored() {
    const said = [...verdicts.said.values()].filter((one) => one.verdict || one.note);
    const redo = said.filter((one) => one.verdict === "redo").length;
    id("stored").textContent = verdicts.trouble || (said.length ? `${counted(said.length, "verdict")}, ${redo} to redo.` : "No verdicts yet.");
  }

  // ------------------------------------------------------------------- sound

  /** Plays one sound at a time, over the bed where that is wanted. */
  class Player {
    constructor() {
      /** @type {AudioContext|null} */
      this.context = null;
      /** @type {AudioBufferSourceNode|null} */
      this.source = null;
      /** @type {GainNode|null} */
      this.gain = null;
      /** @type {AudioBufferSourceNode|null} */
      this.bed = null;
      /** @type {[number, number]|null} */
      this.loop = null;
      this.rate = 1;
      this.began = 0; // when, by the context's clock
      this.offset = 0; // where in the sound, in seconds
      this.turn = 0; // so that only the last of several wishes is played
      /** @type {Map<string, Promise<AudioBuffer>>} */
      this.decoded = new Map();
      this.ended = () => {};
    }

    get playing() {
      return this.source !== null;
    }

    /** Where the sound is, in seconds of its file. */
    get currentTime() {
      if (!this.source || !this.context) return this.offset;
      let at = this.offset + Math.max(0, this.context.currentTime - this.began) * this.rate;
      if (this.loop && at >= this.loop[1]) at = this.loop[0] + ((at - this.loop[0]) % (this.loop[1] - this.loop[0]));
      const end = this.source.buffer ? this.source.buffer.duration : at;
      return Math.min(at, end);
    }

    async ready() {
      this.context = this.context || new AudioContext();
      if (this.context.state !== "running") await this.context.resume();
      return this.context;
    }

    /** @param {string} digest @returns {Promise<AudioBuffer>} */
    buffer(digest) {
      let found = this.decoded.get(digest);
      if (!found) {
        found = bytes(digest).then((data) => /** @type {AudioContext} */ (this.context).decodeAudioData(data));
        found.catch(() => this.decoded.delete(digest));
      }
      this.decoded.delete(digest); // the last used stands last
      this.decoded.set(digest, found);
      found.then(() => this.forget()).catch(() => {});
      return found;
    }

    async forget() {
      let held = 0;
      for (const [digest, promise] of [...this.decoded].reverse()) {
        const one = await promise.catch(() => null);
        held += one ? one.length * one.numberOfChannels : 0;
        if (held > HELD && one) this.decoded.delete(digest);
      }
    }

    /**
     * @param {Content} content
     * @param {{at: number, rate: number, gain: number, loop: [number, number]|null}} how
     * @returns {Promise<boolean>} whether it plays
     */
    async play(content, how) {
      const turn = ++this.turn;
      const context = await this.ready();
      const buffer = await this.buffer(content.digest);
      if (turn !== this.turn) return false;
      this.hush();
      const source = context.createBufferSource();
      const gain = context.createGain();
      source.buffer = buffer;
      source.playbackRate.value = how.rate;
      if (how.loop) {
        source.loop = true;
        [source.loopStart, source.loopEnd] = how.loop;
      }
      gain.gain.setValueAtTime(0, context.currentTime);
      gain.gain.linearRampToValueAtTime(how.gain, context.currentTime + FADE);
      source.connect(gain).connect(context.destination);
      const at = how.at < buffer.duration ? how.at : 0;
      source.start(0, at);
      source.onended = () => {
        if (this.source !== source) return;
        this.source = null;
        this.offset = 0;
        this.ended();
      };
      [this.source, this.gain, this.loop, this.rate] = [source, gain, how.loop, how.rate];
      [this.began, this.offset] = [context.currentTime, at];
      return true;
    }

    /** @param {number} value */
    level(value) {
      if (this.gain && this.context) this.gain.gain.setTargetAtTime(value, this.context.currentTime, FADE);
    }

    /** The sound that plays fades out at once. */
    hush() {
      const { source, gain, context } = this;
      this.source = null;
      if (!source || !gain || !context) return;
      gain.gain.cancelScheduledValues(context.currentTime);
      gain.gain.setValueAtTime(gain.gain.value, context.currentTime);
      gain.gain.linearRampToValueAtTime(0, context.currentTime + FADE);
      source.stop(context.currentTime + FADE);
    }

    stop() {
      this.turn += 1;
      this.hush();
      this.offset = 0;
    }

    /** @param {boolean} wanted */
    async over(wanted) {
      if (!wanted) {
        if (this.bed) this.bed.stop();
        this.bed = null;
        return;
      }
      const context = await this.ready();
      const buffer = await this.buffer("bed");
      if (this.bed) return;
      this.bed = context.createBufferSource();
      this.bed.buffer = buffer;
      this.bed.loop = true;
      this.bed.connect(context.destination);
      this.bed.start();
    }
  }

  /** @type {Map<string, (text: string) => void>} */
  const awaited = new Map();

  /** A sound that lies beside the page calls this with its bytes. @param {string} digest @param {string} text */
  // @ts-ignore
  globalThis.ichnosSound = (digest, text) => {
    const arrived = awaited.get(digest);
    if (arrived) arrived(text);
  };

  // @ts-ignore
  const policy = book.beside && globalThis.trustedTypes
    ? // @ts-ignore
      globalThis.trustedTypes.createPolicy("ichnos-sounds", { createScriptURL: (/** @type {string} */ url) => url })
    : null;

  /** @param {string} digest @returns {Promise<ArrayBuffer>} */
  async function bytes(digest) {
    const inside = id(`sound-${digest}`);
    const text = inside ? inside.textContent : await beside(digest);
    const raw = atob(text.trim());
    const data = new Uint8Array(raw.length);
    for (let at = 0; at < raw.length; at += 1) data[at] = raw.charCodeAt(at);
    return data.buffer;
  }

  /** @param {string} digest @returns {Promise<string>} */
  function beside(digest) {
    const name = book.names[digest];
    if (!/^\d{5,}\.js$/.test(name || "")) return Promise.reject(new Error("the page has no such sound"));
    const url = book.beside.split("/").map(encodeURIComponent).join("/") + name;
    return new Promise((resolve, reject) => {
      const script = document.createElement("script");
      awaited.set(digest, (text) => {
        awaited.delete(digest);
        script.remove();
        resolve(text);
      });
      script.onerror = () => reject(new Error(`${book.beside}${name} is not beside this page`));
      // @ts-ignore
      script.src = policy ? policy.createScriptURL(url) : url;
      document.head.append(script);
    });
  }

  // ------------------------------------------------------------ what is open

  const player = new Player();
  const verdicts = new Verdicts();
  const state = {
    at: -1,
    side: /** @type {Side} */ ("new"),
    row: 0,
    matched: false,
    seam: false,
    chance: false,
    bed: false,
    away: 0, // metres
  };
  /** @type {HTMLLIElement[]} */
  const lines = [];
  /** @type {HTMLLIElement[]} */
  let shown = [];
  let waiting = 0;

  /** @returns {Entry} */
  const open = () => entries[state.at];

  /** @param {Entry} entry @returns {Row[]} */
  function rowsOf(entry) {
    const roles = [...new Set([...entry.new, ...entry.old].map((one) => one.role))];
    const named = (/** @type {Piece[]} */ pieces, /** @type {string} */ role) => pieces.find((one) => one.role === role) || null;
    return roles.map((role) => ({ role, new: named(entry.new, role), old: named(entry.old, role) }));
  }

  /** @param {Piece|null} piece @returns {Content|null} */
  const contentOf = (piece) => (piece && piece.content !== null ? book.contents[piece.content] : null);

  /** The piece that is to be heard: of the row, or the side's first. @param {Side} side @returns {Piece|null} */
  function piece(side) {
    const entry = open();
    const row = rowsOf(entry)[state.row];
    return (row && row[side]) || entry[side][0] || null;
  }

  /** Where a piece goes round, in seconds. @param {Side} side @param {Content} content @returns {[number, number]|null} */
  function loopOf(side, content) {
    if (content.loop) return content.loop;
    const entry = open();
    return (side === "new" ? entry.loop : entry.oldLoop) && content.seconds ? [0, content.seconds] : null;
  }

  /** What is left of a sound at a distance, by the game's curve. @param {Entry} entry @param {number} metres */
  function reach(entry, metres) {
    if (!entry.positional) return 1;
    if (metres >= entry.far) return 0;
    if (metres <= entry.near) return 1;
    if (book.curve === "straight") return (entry.far - metres) / (entry.far - entry.near);
    return Math.min(1, (entry.near || 1) / metres);
  }

  /** By how much a piece is made louder or quieter. @param {Side} side @param {Piece} one */
  function gainOf(side, one) {
    const entry = open();
    const away = reach(entry, state.away);
    const content = contentOf(one);
    if (state.matched && content && typeof content.loudness === "number") {
      const all = [...entry.new, ...entry.old].map((other) => contentOf(other)?.loudness);
      const quietest = Math.min(.../** @type {number[]} */ (all.filter((loud) => typeof loud === "number")));
      return 10 ** ((quietest - content.loudness) / 20) * away;
    }
    return (side === "new" ? entry.volume : entry.oldVolume) * one.volume * away;
  }

  /** @param {{at?: number}} [how] */
  async function play(how = {}) {
    clearTimeout(waiting);
    id("told").textContent = "";
    if (state.chance && how.at === undefined) pick();
    const one = piece(state.side);
    const content = contentOf(one);
    if (!one || !content || content.trouble) {
      player.stop();
      tell(content && content.trouble ? `It cannot be played: ${content.trouble}.` : `There is no ${state.side} sound to play.`);
      refresh();
      return;
    }
    const loop = state.seam ? loopOf(state.side, content) : null;
    const at = how.at ?? (loop ? Math.max(0, loop[1] - BEFORE_SEAM) : 0);
    const pitch = (state.side === "new" ? open().pitch : open().oldPitch) * one.pitch;
    try {
      await player.play(content, { at, rate: pitch, gain: gainOf(state.side, one), loop });
    } catch (error) {
      const why = error instanceof DOMException ? `this browser cannot decode ${content.format}` : /** @type {Error} */ (error).message;
      tell(`It cannot be played: ${why}.`);
    }
    refresh();
    tick();
  }

  /** A take by its weight, as the game picks one. */
  function pick() {
    const rows = rowsOf(open());
    const takes = rows.flatMap((row, number) => (row.role.startsWith("take") && row[state.side] ? [number] : []));
    const weights = takes.map((number) => /** @type {Piece} */ (rows[number][state.side]).weight);
    const all = weights.reduce((sum, one) => sum + one, 0);
    if (!takes.length) return;
    let left = Math.random() * (all || takes.length);
    const found = takes.find((_, number) => (left -= all ? weights[number] : 1) < 0);
    state.row = found ?? takes[takes.length - 1];
  }

  player.ended = () => {
    if (state.chance) {
      waiting = window.setTimeout(() => {
        waiting = 0;
        play();
      }, BETWEEN);
    }
    refresh();
  };

  function stop() {
    clearTimeout(waiting);
    waiting = 0;
    player.stop();
    refresh();
  }

  /** What has changed is heard at once, at the same position. */
  function again() {
    if (player.playing) play({ at: player.currentTime });
    else refresh();
  }

  /** @param {Side} side */
  function hear(side) {
    if (!open()[side].length) {
      tell(side === "old" ? "There is no old sound under this key." : "There is no new sound under this key.");
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
  function say(text) {
    id("said").textContent = text;
  }

  /** What has to be seen as well. @param {string} text */
  function tell(text) {
    say(text);
    const told = id("told");
    if (told) told.textContent = text;
  }

  // --------------------------------------------------------------- the index

  /** @param {number|null} value */
  const across = (value) => `${(100 * Math.min(1, Math.max(0, ((value ?? FLOOR) - FLOOR) / -FLOOR))).toFixed(1)}%`;

  /** How loud the old one is. @param {Entry} entry */
  function oldLevel(entry) {
    const found = entry.old.map((one) => contentOf(one)?.loudness).filter((one) => typeof one === "number");
    return found.length ? Math.max(.../** @type {number[]} */ (found)) + 20 * Math.log10(entry.oldVolume || 1e-3) : null;
  }

  /** @param {Entry} entry */
  function jumpOf(entry) {
    if (entry.jump === null) return "";
    return `${Math.abs(entry.jump).toFixed(1)} LU ${entry.jump > 0 ? "louder" : "quieter"} than its like`;
  }

  /** @param {string} kind @param {number|null} at */
  function dot(kind, at) {
    const made = h("i", { class: kind });
    made.style.left = across(at);
    return made;
  }

  /** @param {Entry} entry @param {number} number @returns {HTMLLIElement} */
  function line(entry, number) {
    const grave = entry.findings.some((one) => one.grave);
    const title = entry.titles.length ? entry.titles[0][1] : "";
    const strip = h("span", { class: "level" });
    if (entry.middle !== null) strip.append(dot("middle", entry.middle));
    const before = oldLevel(entry);
    if (before !== null) strip.append(dot("before", before));
    if (entry.level !== null) strip.append(dot(entry.jump === null ? "now" : "now jumps", entry.level));
    const jump = jumpOf(entry);
    const button = h(
      "button",
      { type: "button", class: "line", click: () => choose(number, true) },
      h("span", { class: "mark" }),
      h(
        "span",
        {},
        h("span", { class: "key" }, own(entry.key)),
        title && h("span", { class: "title" }, " ", own(title)),
        entry.findings.length > 0 && h("span", { class: grave ? "fault" : "remark" }, ` ${grave ? "✗" : "!"} ${counted(entry.findings.length, "finding")}`),
        jump && h("span", { class: "jump" }, ` ${entry.jump && entry.jump > 0 ? "▲" : "▼"} ${jump}`),
      ),
      h("span", { class: "number" }, entry.new.length ? `${length(entry.seconds)}, ${level(entry.level, "LUFS")}` : "no sound"),
      strip,
    );
    const item = h("li", {}, button);
    mark(item, entry);
    return item;
  }

  /** @param {HTMLLIElement} item @param {Entry} entry */
  function mark(item, entry) {
    const one = verdicts.of(entry);
    const words = { keep: ["✓", "keep"], redo: ["↻", "redo"] }[one.verdict] || (one.note ? ["✎", "note"] : ["", ""]);
    const over = verdicts.isOver(entry);
    const place = /** @type {HTMLElement} */ (item.querySelector(".mark"));
    place.replaceChildren(
      h("span", { "aria-hidden": "true" }, over && words[0] ? `${words[0]}?` : words[0]),
      h("span", { class: "unseen" }, words[1] ? `${words[1]}${over ? ", before it changed" : ""}: ` : ""),
    );
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

  function filter() {
    const word = id("word").value.trim().toLowerCase().normalize("NFC");
    const [category, kind, about, judged] = ["category", "kind", "finding", "verdict"].map((name) => id(name).value);
    shown = [];
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
    shown = /** @type {HTMLLIElement[]} */ ([...id("lines").children]).filter((item) => !item.hidden);
    const all = shown.length === entries.length;
    id("count").textContent = all ? counted(entries.length, "sound") : `${shown.length.toLocaleString("en")} of ${counted(entries.length, "sound")}`;
  }

  function order() {
    const by = ORDERS[id("order").value];
    const numbers = entries.map((_, number) => number);
    if (by) numbers.sort((one, other) => by(entries[one], entries[other]) || one - other);
    id("lines").replaceChildren(...numbers.map((number) => lines[number]));
    filter();
  }

  /** @param {string} name @param {[string, string][]} choices */
  function offer(name, choices) {
    id(name).replaceChildren(...choices.map(([value, text]) => h("option", { value }, text)));
  }

  /** @param {(entry: Entry) => string} of @param {string} nothing @returns {[string, string][]} */
  function values(of, nothing) {
    const found = [...new Set(entries.map(of))].sort();
    return [["", "all"], .../** @type {[string, string][]} */ (found.map((one) => [`=${one}`, one || nothing]))];
  }

  // ---------------------------------------------------------------- the leaf

  /** @param {number} number @param {boolean} [show] on a small screen, turn to it */
  function choose(number, show) {
    if (number === state.at) {
      if (show) view("leaf");
      return;
    }
    clearTimeout(waiting);
    player.stop();
    if (state.at >= 0) lines[state.at].firstElementChild?.removeAttribute("aria-current");
    state.at = number;
    state.row = 0;
    state.away = 0;
    const entry = open();
    if (!entry[state.side].length) state.side = entry.new.length || !entry.old.length ? "new" : "old";
    lines[number].firstElementChild?.setAttribute("aria-current", "true");
    leaf();
    if (show) view("leaf");
  }

  /** @param {string} which */
  function view(which) {
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
  function turn(step) {
    const now = shown.indexOf(lines[state.at]);
    const next = shown[Math.min(shown.length - 1, Math.max(0, now < 0 ? 0 : now + step))];
    if (!next) return;
    const moved = document.activeElement?.classList.contains("line") || document.activeElement === document.body;
    choose(lines.indexOf(next));
    next.scrollIntoView({ block: "nearest" });
    if (moved && document.body.dataset.view === "index") next.querySelector("button")?.focus({ preventScroll: true });
    else say(open().key);
  }

  /** @param {string} name @param {string} text @param {string} letter @param {() => void} act @param {boolean} [pressed] */
  function control(name, text, letter, act, pressed) {
    return h("button", { type: "button", id: name, click: act, "aria-pressed": pressed === undefined ? null : pressed }, text, letter && " ", letter && h("kbd", { "aria-hidden": "true" }, letter));
  }

  function leaf() {
    const entry = open();
    const facts = [
      ["category", entry.category], ["kind", entry.kind],
      ...Object.entries(entry.settings),
      ...entry.players.map((one) => ["played by", one]),
    ].filter((one) => one[1]);
    const was = entry.oldTitles.filter(([tag, text]) => !entry.titles.some((one) => one[0] === tag && one[1] === text));
    const parts = [
      h("p", { class: "row narrow" }, h("button", { type: "button", click: () => view("index") }, "Back to the index")),
      h("h2", { id: "key", class: "key" }, own(entry.key)),
      h("p", { class: "titles" }, ...entry.titles.flatMap(([tag, text], at) => [at ? ", " : "", titled(tag, text, "")])),
      was.length > 0 && h("p", { class: "titles" }, h("span", { class: "before" }, "old: ", ...was.flatMap(([tag, text], at) => [at ? ", " : "", titled(tag, text, "before")]))),
      entry.loose && h("p", {}, "No definition names this file."),
      entry.jump !== null && h("p", { class: "jump" }, `${entry.jump > 0 ? "▲" : "▼"} ${jumpOf(entry)}: the middle of ${entry.category || "its kind"} is ${level(entry.middle, "LUFS")}.`),
      transport(entry),
      h("div", { id: "pieces" }, ...rowsOf(entry).map((row, number) => pieceOf(entry, row, number))),
      facts.length > 0 && h("h3", {}, "What the pack says"),
      h("dl", { class: "facts" }, ...facts.flatMap(([name, value]) => [h("dt", {}, name), h("dd", {}, own(value))])),
      entry.findings.length > 0 && h("h3", {}, "Findings"),
      ...entry.findings.map(findingOf),
      verdictOf(entry),
    ];
    id("leaf").replaceChildren(...parts.filter((one) => one));
    refresh();
    draw();
  }

  /** @param {string} tag @param {string} text @param {string} kind */
  function titled(tag, text, kind) {
    return h("span", { class: kind }, own(text), tag && h("span", { class: "number" }, ` (${tag})`));
  }

  /** @param {Entry} entry */
  function transport(entry) {
    const positional = entry.positional;
    const farthest = Math.ceil(entry.far);
    const slider = h("input", {
      type: "range", id: "away", min: 0, max: farthest, step: Math.max(0.1, farthest / 100).toFixed(1), value: state.away,
      disabled: !positional, "aria-label": "distance in metres",
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
        h("span", { class: "away" }, slider, control("farther", "far", "n", nearOrFar, state.away > 0), h("span", { id: "reached", class: "number" })),
        h("span", { class: "row wide-only" }, control("previous", "previous", "↑", () => turn(-1)), control("next", "next", "↓", () => turn(1))),
        h("span", { class: "row narrow" }, h("button", { type: "button", click: () => turn(-1) }, "previous"), h("button", { type: "button", click: () => turn(1) }, "next")),
      ),
      h("p", { id: "told", "aria-hidden": "true" }),
    );
  }

  function toggle() {
    if (player.playing || waiting) stop();
    else play();
  }

  /** @param {"matched"|"seam"|"chance"|"bed"} name */
  function flip(name) {
    state[name] = !state[name];
    if (name === "bed") {
      player.over(state.bed).catch((error) => tell(`The bed cannot be played: ${error.message}.`)).then(refresh);
    } else if (name === "seam" && player.playing) play();
    else if (name === "matched") again();
    if (name === "chance" && !state.chance) clearTimeout(waiting);
    refresh();
  }

  /** @param {number} metres */
  function distance(metres) {
    state.away = metres;
    const one = piece(state.side);
    if (one) player.level(gainOf(state.side, one));
    refresh();
  }

  function nearOrFar() {
    const entry = open();
    if (!entry.positional) tell("This sound has no place: it is as loud everywhere.");
    else distance(state.away > entry.near ? 0 : (entry.near + entry.far) / 2);
  }

  /** @param {Entry} entry @param {Row} row @param {number} number */
  function pieceOf(entry, row, number) {
    const both = row.old && contentOf(row.old)?.shape;
    const canvas = h("canvas", {
      class: both ? "" : "alone", role: "img", "data-row": number,
      "aria-label": `the level of ${row.role} over time, ${both && row.new ? "new above, old below" : row.new ? "new" : "old"}`,
      click: (/** @type {MouseEvent} */ event) => seek(event, number),
    });
    return h(
      "section",
      { class: "piece", "aria-label": row.role },
      h(
        "p",
        { class: "row" },
        h("button", { type: "button", class: "choose", "data-row": number, "aria-pressed": "false", click: () => take(number) }, row.role, " ", number < 9 && h("kbd", { "aria-hidden": "true" }, String(number + 1))),
        entry.new.length > 1 && row.new && h("span", { class: "number" }, `weight ${row.new.weight}`),
      ),
      canvas,
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
        said.push(`${length(content.seconds || 0)}, ${level(content.loudness, "LUFS")}, true peak ${level(content.truePeak, "dBTP")}, ${size(content.size)}`);
        said.push(content.format + (content.copied ? " (played from a copy in FLAC: no browser decodes it)" : ""));
      }
      if (content.trouble) said.push(content.trouble);
    }
    const whose = one.ofGame ? "the game's own " : "";
    const rest = said.map((text) => h("div", { class: "number" }, text));
    return [h("dt", {}, side), h("dd", { class: side === "old" ? "before" : "" }, h("div", {}, whose, own(one.file)), ...rest)];
  }

  /** @param {Finding} one */
  function findingOf(one) {
    return h(
      "div",
      { class: one.grave ? "finding grave" : "finding" },
      h("p", {}, h("code", {}, `${one.grave ? "✗" : "!"} ${one.id}`), " ", own(one.reason)),
      h("p", { class: "number" }, own(one.place)),
      h("p", {}, `In the game: ${one.effect}. Cure: `, own(one.cure), "."),
    );
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
        control("none", "none", "u", () => judge({ verdict: "" }), !one.verdict),
      ),
      h("p", {}, h("label", { for: "note" }, "Note "), h("kbd", { "aria-hidden": "true" }, "t"), note),
    );
  }

  /** @param {{verdict?: string, note?: string}} said */
  function judge(said) {
    const entry = open();
    verdicts.say({ ...verdicts.of(entry), ...said, heard: entry.heard });
    mark(lines[state.at], entry);
    id("over")?.remove();
    refresh();
    if (said.verdict !== undefined) say(said.verdict || "no verdict");
  }

  /** @param {number} number */
  function take(number) {
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
  function refresh() {
    if (state.at < 0) return;
    const entry = open();
    const content = contentOf(piece(state.side));
    const one = verdicts.of(entry);
    id("play").firstChild.data = player.playing ? "Stop" : "Play";
    press("hear-new", state.side === "new", !entry.new.length);
    press("hear-old", state.side === "old", !entry.old.length);
    press("matched", state.matched);
    press("seam", state.seam, !content || !loopOf(state.side, content));
    press("chance", state.chance, entry[state.side].filter((other) => other.role.startsWith("take")).length < 2);
    press("bed", state.bed);
    press("farther", state.away > entry.near, !entry.positional);
    press("keep", one.verdict === "keep");
    press("redo", one.verdict === "redo");
    press("none", !one.verdict);
    id("away").value = state.away;
    const left = reach(entry, state.away);
    id("reached").textContent = entry.positional
      ? `${state.away.toFixed(0)} m: ${left > 0 ? `${sign((20 * Math.log10(left)).toFixed(1))} dB` : "not heard"}`
      : "heard everywhere";
    for (const button of document.querySelectorAll("#pieces .choose")) {
      button.setAttribute("aria-pressed", String(Number(/** @type {HTMLElement} */ (button).dataset.row) === state.row));
    }
    clock();
  }

  function clock() {
    const content = contentOf(piece(state.side));
    id("clock").textContent = `${player.currentTime.toFixed(2)} of ${content && content.seconds ? content.seconds.toFixed(2) : "0.00"} s`;
  }

  let ticking = false;

  function tick() {
    if (ticking) return;
    ticking = true;
    const step = () => {
      clock();
      draw();
      ticking = player.playing;
      if (ticking) requestAnimationFrame(step);
    };
    requestAnimationFrame(step);
  }

  // ----------------------------------------------------------------- drawing

  /** @param {Entry} entry how many seconds its pictures show */
  function span(entry) {
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

  function draw() {
    if (state.at < 0) return;
    const style = getComputedStyle(document.documentElement);
    const colour = (/** @type {string} */ name) => style.getPropertyValue(`--${name}`).trim();
    const colours = { ink: colour("ink"), soft: colour("soft"), pencil: colour("pencil"), rule: colour("rule"), accent: colour("accent"), leaf: colour("leaf") };
    const rows = rowsOf(open());
    for (const canvas of /** @type {NodeListOf<HTMLCanvasElement>} */ (document.querySelectorAll("#pieces canvas"))) {
      const number = Number(canvas.dataset.row);
      if (rows[number]) picture(canvas, rows[number], number, colours);
    }
  }

  /** New above the line in ink, old below it in pencil. @param {HTMLCanvasElement} canvas @param {Row} row @param {number} number @param {Record<string, string>} colours */
  function picture(canvas, row, number, colours) {
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
        for (const [edge, inward] of [[loop[0], 1], [loop[1], -1]]) {
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

  // -------------------------------------------------------------------- keys

  /** @type {[string, string, () => void][]} */
  const LETTERS = [
    ["o", "old or new, at the same position", () => hear(state.side === "new" ? "old" : "new")],
    ["m", "levels matched, or as they are", () => flip("matched")],
    ["l", "round the seam of a loop", () => id("seam").disabled || flip("seam")],
    ["w", "takes by weight, one after the other", () => id("chance").disabled || flip("chance")],
    ["n", "near or far", nearOrFar],
    ["b", "over the bed, or not", () => book.bed && flip("bed")],
    ["k", "keep", () => judge({ verdict: "keep" })],
    ["r", "redo", () => judge({ verdict: "redo" })],
    ["u", "no verdict", () => judge({ verdict: "" })],
    ["t", "write a note", () => id("note").focus()],
    ["/", "look for a word", () => id("word").focus()],
  ];

  const slot = "ichnos letters";
  const letters = id("letters");

  function remembered() {
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
  function key(event) {
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

  // ------------------------------------------------------------------- begin

  function begin() {
    entries.forEach((entry, number) => lines.push(line(entry, number)));
    offer("category", values((one) => one.category, "none"));
    offer("kind", values((one) => one.kind, "usual"));
    const ids = [...new Set(entries.flatMap((entry) => entry.findings.map((one) => one.id)))].sort();
    offer("finding", [
      ["", "all"], ["any", "with findings"], ["none", "without"], ["jumps", "jumps in level"], ["unheard", "cannot be played"],
      .../** @type {[string, string][]} */ (ids.map((one) => [`=${one}`, one])),
    ]);
    offer("verdict", [["", "all"], ["none", "none yet"], ["keep", "keep"], ["redo", "redo"], ["note", "with a note"], ["over", "before it changed"]]);
    offer("order", [["pack", "as in the pack"], ["key", "by key"], ["loudness", "loudest first"], ["length", "longest first"], ["size", "largest first"], ["jump", "jumps first"]]);
    for (const name of ["category", "kind", "finding", "verdict"]) id(name).addEventListener("change", filter);
    id("word").addEventListener("input", filter);
    id("filters").addEventListener("submit", (/** @type {Event} */ event) => event.preventDefault());
    id("order").addEventListener("change", order);
    order();
    const jumps = entries.filter((one) => one.jump !== null).length;
    const seconds = entries.reduce((sum, one) => sum + one.new.reduce((all, each) => all + (contentOf(each)?.seconds || 0), 0), 0);
    const found = entries.reduce((sum, one) => sum + one.findings.length, book.remarks.length);
    id("sum").textContent = [counted(entries.length, "sound"), `${length(seconds)} in all`, counted(found, "finding"), `${counted(jumps, "jump")} in level`].join(", ");
    if (book.remarks.length) {
      const more = book.remarks.length - MOST_LINES;
      id("remarks").append(h("h2", {}, "Findings of no one sound"), ...book.remarks.slice(0, MOST_LINES).map(findingOf), more > 0 && h("p", {}, `${more} more: ichnos check says all of them.`));
    }
    id("letters-list").append(
      ...[["space", "play, stop"], ["↓ ↑", "next, previous"], ["1 to 9", "a take or part"], ...LETTERS].map(([letter, what]) => h("div", {}, h("dt", {}, h("kbd", {}, letter)), h("dd", {}, what))),
    );
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
    window.addEventListener("storage", () => {
      verdicts.load();
      entries.forEach((entry, number) => mark(lines[number], entry));
      stored();
    });
    document.addEventListener("keydown", key);
    document.querySelector(".skip")?.addEventListener("click", () => view("leaf"));
    new ResizeObserver(draw).observe(id("leaf"));
    matchMedia("(prefers-color-scheme: dark)").addEventListener("change", draw);
    remembered();
    stored();
    if (entries.length) choose(0);
    else id("leaf").append(h("h2", { id: "key" }, "This pack has no sounds."));
  }

  begin();
  // For whoever wants to know what is played: where the sound is, and how loud.
  // @ts-ignore
  globalThis.listening = { player, state };
})();
