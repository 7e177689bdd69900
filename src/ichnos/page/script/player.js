// @ts-check
// Plays one sound at a time, sample by sample, over a bed where that is wanted.
import { FADE, HELD, book, id } from "./book.js";
/** @import { Content } from "./book.js" */

/** Plays one sound at a time, over the bed where that is wanted. */
export class Player {
  constructor() {
    /** @type {AudioContext|null} */
    this.context = null;
    /** @type {AudioBufferSourceNode|null} */
    this.source = null;
    /** @type {GainNode|null} */
    this.gain = null;
    /** @type {AudioBufferSourceNode|null} */
    this.bed = null;
    this.wantsBed = false;
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
   * @param {{at: number|null, rate: number, gain: number, loop: [number, number]|null}} how `at`: in seconds;
   *     with null it goes on from where the one before it has come to
   * @returns {Promise<boolean>} whether it plays
   */
  async play(content, how) {
    const turn = ++this.turn;
    const context = await this.ready();
    const buffer = await this.buffer(content.digest);
    if (turn !== this.turn) return false;
    const from = how.at ?? this.currentTime; // now, not when it was asked for: decoding takes its time
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
    const at = from < buffer.duration ? from : 0;
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
    this.wantsBed = wanted;
    if (this.bed) this.bed.stop();
    this.bed = null;
    if (!wanted) return;
    const context = await this.ready();
    const buffer = await this.buffer("bed");
    if (!this.wantsBed || this.bed) return; // it was said otherwise meanwhile
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

const types = /** @type {any} */ (globalThis).trustedTypes;
const named = { createScriptURL: (/** @type {string} */ url) => url };
const policy = book.beside && types ? types.createPolicy("ichnos-sounds", named) : null;

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
  if (!/^[0-9a-f]{16}\.js$/.test(name || "")) return Promise.reject(new Error("the page has no such sound"));
  const url = book.beside.split("/").map(encodeURIComponent).join("/") + name;
  return new Promise((resolve, reject) => {
    const script = document.createElement("script");
    awaited.set(digest, (text) => {
      awaited.delete(digest);
      script.remove();
      resolve(text);
    });
    script.onload = () => {
      if (awaited.has(digest)) reject(new Error(`${book.beside}${name} is of another page`));
    };
    script.onerror = () => reject(new Error(`${book.beside}${name} is not beside this page`));
    // @ts-ignore
    script.src = policy ? policy.createScriptURL(url) : url;
    document.head.append(script);
  });
}
