/** Tell Vigilant Ledger what players meet: copy this one file into a page or a Node program.
 *
 *     import { FieldSender, pageStore } from "./vigilant_field.js";
 *
 *     const field = new FieldSender({
 *       server: "https://ledger.example", key: "vl_...", build: "river 41", salt: "lanternfall",
 *       device: { model: "Reed 5", kind: "handheld", memory_gib: 4, graphics: "Heron 2" },
 *       labels: ["charger out"], store: pageStore(), consent: asked,
 *     });
 *     field.tier(2, "full lanterns", { settings: { reflections: "full" }, setBy: "program", budgetMs: 1000 / 60 });
 *     field.place("landing stage");                         // field.place("loading", false) is not play
 *     field.label("charger out", true);
 *     while (playing) field.frame(frameMs, { processor, graphics, waited });   // once a frame; lanes where known
 *     field.end("person");
 *
 * It counts frames by bucket, per place and tier; of single frames it keeps the last 512 in memory, to see whether a refresh holds
 * them. It sends the whole session so far, now and then and at its end; what could not be sent, or was cut off by a kill, is sent at the next
 * start. Without consent nothing is kept and nothing sent. Bounds and the form: docs/formats.md, Field. No dependency.
 * Licence: Apache-2.0. */

const BUCKETS = 162;
const EDGES = Float64Array.from({ length: BUCKETS }, (_, i) => (i === BUCKETS - 1 ? Infinity : 2 ** (i / 16)));
const MOST_CELLS = 64;
const MOST_PLACES = 16;
const MOST_SETS = 256;
const MOST_LABELS = 6;
const MOST_COUNT = 2 ** 32 - 1;
const UPLOAD_BYTES = 32 * 1024; // that the server takes
const FULL_BYTES = 12 * 1024; // from here on no new place or set of labels is opened: what is there has room to grow
const WAITING = 8; // sessions that were not sent yet and are kept for the next start
const RENEWED_MS = 90 * 86_400_000;
const OLDEST_MS = 30 * 86_400_000;
const BURST_MS = 250;
const AFTER_S = 10;
const EARLIER_S = 30;
const RING_S = AFTER_S + EARLIER_S;
const SPAN_MIN = [2, 10, 30];
const CHECKED = 512;
const CHECK_EVERY_MS = 60_000;
const LANES = ["processor", "graphics"];

/** A page's own store; nothing outlives the page where the browser keeps none. */
export function pageStore(prefix = "vigilant-field") {
  const at = (name) => `${prefix} ${name}`;
  const tried = (act) => {
    try {
      return act() ?? null;
    } catch {
      return null; // full, or forbidden
    }
  };
  return {
    get: (name) => tried(() => localStorage.getItem(at(name))),
    set: (name, text) => tried(() => localStorage.setItem(at(name), text)),
    remove: (name) => tried(() => localStorage.removeItem(at(name))),
    names: () => tried(() => Object.keys(localStorage).filter((k) => k.startsWith(`${prefix} `)).map((k) => k.slice(prefix.length + 1))) ?? [],
  };
}

/** A folder of a Node program. A file is replaced whole, so that a kill leaves the one before. */
export async function folderStore(folder) {
  const fs = await import("node:fs");
  const path = await import("node:path");
  fs.mkdirSync(folder, { recursive: true });
  const at = (name) => path.join(folder, `${name}.json`);
  return {
    get: (name) => (fs.existsSync(at(name)) ? fs.readFileSync(at(name), "utf8") : null),
    set: (name, text) => {
      fs.writeFileSync(`${at(name)}.new`, text);
      fs.renameSync(`${at(name)}.new`, at(name));
    },
    remove: (name) => fs.rmSync(at(name), { force: true }),
    names: () => fs.readdirSync(folder).filter((n) => n.endsWith(".json")).map((n) => n.slice(0, -5)),
  };
}

function nothingKept() {
  const held = new Map();
  return { get: (n) => held.get(n) ?? null, set: (n, t) => held.set(n, t), remove: (n) => held.delete(n), names: () => [...held.keys()] };
}

/** One start of the program to its end. `lateOver` of a tier's budget is how far over it a frame is late. */
export class FieldSender {
  constructor({ server, key, build, device, salt = "", labels = [], figures = {}, assigned = "", held, store, consent = false, fetch: send, now, wall, everyS = 300, keepEveryS = 1 }) {
    if (labels.length > MOST_LABELS) throw new RangeError(`${labels.length} labels; ${MOST_LABELS} are allowed`);
    this.address = `${server.replace(/\/$/, "")}/api/field/sessions/`;
    this.key = key;
    this.head = { build, device, assigned };
    this.salt = salt;
    this.labels = labels;
    this.figures = { ...figures };
    this.heldTold = held;
    this.store = store ?? nothingKept();
    this.send = send ?? ((...args) => globalThis.fetch(...args));
    this.now = now ?? (() => performance.now());
    this.wall = wall ?? (() => Date.now());
    this.everyMs = everyS * 1000;
    this.keepEveryMs = keepEveryS * 1000;
    this.began = this.now();
    this.beganAt = this.wall();
    this.session = randomId();
    this.seq = 0;
    this.sinceKeptMs = 0;
    this.sinceSentMs = 0;
    this.ended = null;
    this.places = [];
    this.tiers = [];
    this.cells = new Map();
    this.sets = new Map();
    this.bursts = new Map();
    this.elsewhere = 0;
    this.refused = 0;
    this.labelled = 0;
    this.ring = new Uint8Array(RING_S);
    this.inPlace = 0;
    this.second = { ms: 0, lateMs: 0, frames: 0, late: 0 };
    this.last = null;
    this.recent = new Float64Array(CHECKED);
    this.recentCount = 0;
    this.checkedMs = 0;
    this.checks = { yes: 0, no: 0 };
    this.period = null;
    this.sending = null;
    this.consented = false;
    this.size = 0;
    this.place_("everywhere", true);
    this.tier(0, "as it is");
    if (consent) this.consent(true);
  }

  /** What the player says: with `false` all that is kept goes, and nothing is counted until it is given. */
  consent(given) {
    if (given === this.consented) return;
    this.consented = given;
    this.clear();
    if (!given) {
      for (const name of this.store.names()) this.store.remove(name);
      return;
    }
    this.installation = this.installationHash();
    this.leftBehind();
  }

  clear() {
    this.session = randomId();
    this.seq = 0;
    this.began = this.now();
    this.beganAt = this.wall();
    this.ended = null;
    this.cells.clear();
    this.sets.clear();
    this.bursts.clear();
    this.elsewhere = this.refused = this.size = 0;
    this.second = { ms: 0, lateMs: 0, frames: 0, late: 0 };
    this.place_(this.at, this.play);
  }

  installationHash() {
    let own = null;
    try {
      own = JSON.parse(this.store.get("installation") ?? "null");
    } catch {
      own = null;
    }
    const age = this.wall() - (own?.made ?? 0);
    if (!own?.id || !(age >= 0 && age < RENEWED_MS)) {
      own = { id: randomId(), made: this.wall() };
      this.store.set("installation", JSON.stringify(own));
    }
    return sha256(`${this.salt}:${own.id}`).slice(0, 32);
  }

  /** Where in the program frames are played from now on; `play` false where they are not (loading, menus). */
  place(name, play = true) {
    if (this.at === name && this.play === play) return;
    this.closeSecond();
    this.place_(name, play);
  }

  place_(name, play) {
    this.at = name;
    this.play = play;
    this.placeIndex = name === undefined ? -1 : this.places.findIndex((p) => p.name === name);
    if (name !== undefined && this.placeIndex < 0 && this.places.length < MOST_PLACES) {
      this.placeIndex = this.places.push({ name, play }) - 1;
    }
    this.inPlace = 0;
    this.last = null;
    this.cell = null;
  }

  /** The quality tier from now on. `lateOver` is the share of the budget beyond which a frame over it is late. */
  tier(level, name, { settings = {}, setBy = "program", budgetMs = 1000 / 60, lateOver = 0.05 } = {}) {
    const text = Object.fromEntries(Object.entries(settings).map(([k, v]) => [k, String(v)]));
    const tier = { level, name, settings: text, set_by: setBy, budget_ms: budgetMs, tolerance: lateOver };
    const known = JSON.stringify(tier);
    this.tierIndex = this.tiers.findIndex((t) => JSON.stringify(t) === known);
    // One that no frame was played at makes room: the default that a program states otherwise at once.
    if (this.tierIndex < 0 && this.tiers.length === 1 && this.cells.size === 0) this.tiers = [];
    if (this.tierIndex < 0 && this.tiers.length < MOST_CELLS) this.tierIndex = this.tiers.push(tier) - 1;
    this.limit = budgetMs * (1 + lateOver);
    this.cell = null;
  }

  /** Whether a label is true of the seconds from now on. */
  label(name, on) {
    const bit = this.labels.indexOf(name);
    if (bit < 0) throw new RangeError(`no label ${name}: ${this.labels.join(", ")}`);
    const next = on ? this.labelled | (1 << bit) : this.labelled & ~(1 << bit);
    if (next !== this.labelled) this.closeSecond();
    this.labelled = next;
  }

  /** One number for the whole session, such as load_ms or memory_peak_mib. */
  figure(name, value) {
    if (Number.isFinite(value)) this.figures[name] = value;
  }

  /** One frame. `lanes` holds the processor's and the graphics' time and what was waited in it, ms, where known. */
  frame(frameMs, lanes) {
    if (!this.consented || this.ended !== null) return;
    if (!(frameMs > 0 && frameMs < 1e9)) {
      this.refused = Math.min(MOST_COUNT, this.refused + 1);
      return;
    }
    if (this.play && this.at !== undefined) this.count(frameMs, lanes);
    this.checkedMs += frameMs;
    if (this.checkedMs >= CHECK_EVERY_MS) this.check();
    // By the frames' own time: a clock is not read for it.
    this.sinceKeptMs += frameMs;
    this.sinceSentMs += frameMs;
    if (this.sinceKeptMs >= this.keepEveryMs) this.keep();
    if (this.sinceSentMs >= this.everyMs) this.upload();
  }

  count(frameMs, lanes) {
    const cell = this.cell ?? this.cellHere();
    const late = frameMs > this.limit;
    if (cell === null) this.elsewhere = Math.min(MOST_COUNT, this.elsewhere + 1);
    else {
      into(cell, frameMs);
      if (late) {
        cell.late += 1;
        cell.lateMs += frameMs;
        const p = lanes?.processor;
        const g = lanes?.graphics;
        cell.lateBy[p === undefined && g === undefined ? 2 : (g ?? 0) > (p ?? 0) ? 1 : 0] += 1;
      }
      if (lanes?.waited !== undefined && frameMs - lanes.waited > 0) {
        cell.work ??= histogram();
        into(cell.work, frameMs - lanes.waited);
      }
      cell.packed = null;
    }
    this.recent[this.recentCount++ % CHECKED] = frameMs;
    const second = this.second;
    second.ms += frameMs;
    second.frames += 1;
    if (late) {
      second.late += 1;
      second.lateMs += frameMs;
    }
    while (second.ms >= 1000) this.overSecond();
  }

  cellHere() {
    if (this.placeIndex < 0 || this.tierIndex < 0) return null;
    const key = this.placeIndex * MOST_CELLS + this.tierIndex;
    let cell = this.cells.get(key);
    if (cell === undefined) {
      if (this.cells.size >= MOST_CELLS || this.size > FULL_BYTES) return null;
      cell = { ...histogram(), place: this.placeIndex, tier: this.tierIndex, late: 0, lateBy: [0, 0, 0], lateMs: 0, work: null, packed: null };
      this.cells.set(key, cell);
    }
    this.cell = cell;
    return cell;
  }

  /** A second of play is over: its labels, and whether a late burst is shortly before. One long frame may be several. */
  overSecond() {
    const second = this.second;
    this.noteSet(1, second.frames, second.late);
    this.ring[this.inPlace % RING_S] = second.lateMs >= BURST_MS ? 1 : 0;
    this.inPlace += 1;
    this.exposed();
    second.ms -= 1000;
    second.frames = second.late = 0;
    second.lateMs = second.ms > 1000 ? second.lateMs : 0;
  }

  /** Before the place or a label changes: what was begun of a second counts its frames, and is no second. */
  closeSecond() {
    if (this.second.frames) this.noteSet(0, this.second.frames, this.second.late);
    this.second = { ms: 0, lateMs: 0, frames: 0, late: 0 };
  }

  noteSet(seconds, frames, late) {
    if (!this.labels.length || this.placeIndex < 0 || this.tierIndex < 0) return;
    const key = (this.placeIndex * MOST_CELLS + this.tierIndex) * 64 + this.labelled;
    let own = this.sets.get(key);
    if (own === undefined) {
      if (this.sets.size >= MOST_SETS || this.size > FULL_BYTES) return;
      own = { place: this.placeIndex, tier: this.tierIndex, labels: this.labelled, seconds: 0, frames: 0, late: 0 };
      this.sets.set(key, own);
    }
    own.seconds += seconds;
    own.frames += frames;
    own.late += late;
  }

  exposed() {
    if (this.inPlace < RING_S || this.placeIndex < 0) {
      this.last = null;
      return;
    }
    let now = false;
    let then = false;
    for (let back = 0; back < AFTER_S; back++) {
      if (this.ring[(this.inPlace - 1 - back) % RING_S]) now = true;
      if (this.ring[(this.inPlace - 1 - EARLIER_S - back) % RING_S]) then = true;
    }
    const span = SPAN_MIN.filter((min) => this.now() - this.began >= min * 60_000).length;
    this.last = { place: this.placeIndex, minutes: span, now, then };
    if (now === then) return;
    const key = this.placeIndex * 4 + span;
    let own = this.bursts.get(key);
    if (own === undefined) {
      own = { place: this.placeIndex, minutes: span, now: 0, then: 0 };
      this.bursts.set(key, own);
    }
    own[now ? "now" : "then"] += 1;
  }

  /** Once a minute: does a refresh hold the frames? Their running total keeps to whole periods, if so. */
  check() {
    this.checkedMs = 0;
    if (this.recentCount < CHECKED) return;
    const start = this.recentCount % CHECKED;
    const frames = Float64Array.from({ length: CHECKED }, (_, i) => this.recent[(start + i) % CHECKED]);
    const period = heldAt(frames);
    this.checks[period === null ? "no" : "yes"] += 1;
    if (period !== null) this.period = period;
  }

  held() {
    if (this.heldTold) return this.heldTold;
    const { yes, no } = this.checks;
    if (yes + no === 0) return { told: "unknown" };
    return yes * 2 >= yes + no ? { told: "yes", period_ms: this.period } : { told: "no" };
  }

  /** The whole session so far, as it is sent. */
  snapshot() {
    return {
      vigilant_field: 1,
      edges: 1,
      session: this.session,
      seq: this.seq,
      installation: this.installation,
      age_s: Math.max(this.now() - this.began, this.wall() - this.beganAt) / 1000,
      ...this.head,
      held: this.held(),
      places: this.places,
      tiers: this.tiers,
      cells: [...this.cells.values()].map(sentCell),
      labels: this.labels,
      sets: [...this.sets.values()].map((s) => [s.place, s.tier, s.labels, s.seconds, s.frames, s.late]),
      bursts: [...this.bursts.values()].map((b) => [b.place, b.minutes, b.now, b.then]),
      last: this.last,
      ended: this.ended,
      figures: this.figures,
      refused_frames: this.refused,
      elsewhere_frames: this.elsewhere,
    };
  }

  /** Keep the session as it is, so that a kill loses a second of it at most. It is kept as one that vanished. */
  keep() {
    this.seq += 1;
    this.keepBody(this.snapshot());
  }

  keepBody(body) {
    this.sinceKeptMs = 0;
    const text = JSON.stringify({ at: this.wall(), body: { ...body, ended: body.ended ?? "vanished" } });
    this.size = text.length;
    this.store.set(this.session, text);
  }

  /** Send the session so far. Resolves to whether the server has it. */
  async upload() {
    this.sinceSentMs = 0;
    if (!this.consented || this.cells.size === 0) return false;
    this.seq += 1;
    const body = this.snapshot();
    const text = JSON.stringify(body);
    if (text.length > UPLOAD_BYTES) return false; // it would be refused
    // What is kept for the next start comes after what is sent now.
    if (!body.ended) this.seq += 1;
    this.keepBody({ ...body, seq: this.seq });
    const answer = await this.post(text);
    if (!answer) return false;
    if (answer.next_s) this.everyMs = Math.min(3600, Math.max(10, answer.next_s)) * 1000;
    if (body.ended) this.store.remove(body.session);
    return true;
  }

  /** What the server answered; null where it could not be asked, or is to be asked again. */
  async post(text) {
    try {
      const answer = await this.send(this.address, {
        method: "POST",
        headers: { "Content-Type": "application/json", Authorization: `Bearer ${this.key}` },
        body: text,
        keepalive: true,
        credentials: "omit",
      });
      if (answer.ok) return await answer.json();
      return answer.status >= 500 || answer.status === 429 || answer.status === 401 ? null : {}; // what it refuses it refuses again
    } catch {
      return null;
    }
  }

  /** Sessions of earlier starts that were not sent to their end. One that is refused, or too old, goes. */
  async leftBehind() {
    const left = [];
    for (const name of this.store.names()) {
      if (name === "installation" || name === this.session) continue;
      try {
        left.push({ name, ...JSON.parse(this.store.get(name)) });
      } catch {
        this.store.remove(name); // cut off while it was written
      }
    }
    left.sort((a, b) => b.at - a.at);
    for (const [i, { name, at, body }] of left.entries()) {
      const since = this.wall() - at;
      if (i >= WAITING || !body || since + body.age_s * 1000 > OLDEST_MS) {
        this.store.remove(name);
        continue;
      }
      const aged = { ...body, age_s: body.age_s + Math.max(0, since) / 1000 };
      if (await this.post(JSON.stringify(aged))) this.store.remove(name);
    }
  }

  /** The session is over: by the `person`, the `program`, a `crash` or an `update`. Resolves to whether the server has it; what it has
   * not is sent at the next start. */
  async end(how = "person") {
    if (this.ended !== null) return false;
    this.closeSecond();
    this.ended = how;
    return this.upload();
  }
}

/** In a page: count the frames that the browser presents, and end with it. Returns what stops it. */
export function watchFrames(field, lanes = () => undefined) {
  let last = null;
  let wanted = requestAnimationFrame(function next(at) {
    if (last !== null && at > last && document.visibilityState === "visible") field.frame(at - last, lanes());
    last = document.visibilityState === "visible" ? at : null;
    wanted = requestAnimationFrame(next);
  });
  const hidden = () => {
    last = null;
    field.upload();
  };
  const gone = () => field.end("person");
  document.addEventListener("visibilitychange", hidden);
  addEventListener("pagehide", gone);
  return () => {
    cancelAnimationFrame(wanted);
    document.removeEventListener("visibilitychange", hidden);
    removeEventListener("pagehide", gone);
  };
}

// -- histograms

function histogram() {
  return { counts: new Uint32Array(BUCKETS), sum: 0, max: 0 };
}

function into(found, ms) {
  const i = bucketOf(ms);
  if (found.counts[i] < MOST_COUNT) found.counts[i] += 1;
  found.sum += ms;
  if (ms > found.max) found.max = ms;
}

/** The bucket of a time: logarithms are near an edge now and then on the wrong side of it. */
export function bucketOf(ms) {
  if (ms <= 1) return 0;
  if (ms > 1024) return BUCKETS - 1;
  const i = Math.ceil(16 * Math.log2(ms));
  return ms > EDGES[i] ? i + 1 : ms <= EDGES[i - 1] ? i - 1 : i;
}

function packed(counts) {
  let bytes = "";
  const varint = (value) => {
    let left = value;
    for (; left > 127; left = Math.floor(left / 128)) bytes += String.fromCharCode((left % 128) | 128);
    bytes += String.fromCharCode(left);
  };
  let empty = 0;
  for (const count of counts) {
    if (count === 0) {
      empty += 1;
      continue;
    }
    varint(empty);
    varint(count);
    empty = 0;
  }
  return btoa(bytes);
}

const sent = (found) => ({ frames: packed(found.counts), sum_ms: found.sum, max_ms: found.max });

function sentCell(cell) {
  cell.packed ??= {
    place: cell.place,
    tier: cell.tier,
    ...sent(cell),
    late: cell.late,
    late_by: [...cell.lateBy],
    late_ms: cell.lateMs,
    play_s: cell.sum / 1000,
    ...(cell.work && { work: sent(cell.work) }),
  };
  return cell.packed;
}

// -- is it held at a refresh?

const BLOCK = 16;

/** The period, ms, that holds frames in step, or null: the residuals of blocks spread no more than those of single frames. */
export function heldAt(frames) {
  const ordered = Float64Array.from(frames).sort();
  let v = densest(ordered);
  const within = (low, high) => frames.reduce((n, x) => n + (x >= low && x <= high ? 1 : 0), 0);
  if (!(v > 0) || within(0.85 * v, 1.15 * v) < frames.length / 2 || within(0, 0.85 * v) > frames.length / 20) return null;
  const blocks = [];
  for (let i = 0; i + BLOCK <= frames.length; i += BLOCK) blocks.push(frames.subarray(i, i + BLOCK));
  for (let round = 0; round < 3; round++) {
    v = median(blocks.map((b) => b.reduce((a, x) => a + x, 0) / b.reduce((a, x) => a + Math.round(x / v), 0)));
  }
  if (!(v >= 0.9)) return null;
  const residuals = Array.from(frames, (x) => x - v * Math.round(x / v));
  const single = spread(residuals, 1);
  if (single < 2e-5 * v) return v;
  if (single >= 0.1 * v) return null;
  const at = (size) => spread(residuals, size) ** 2;
  const block = at(BLOCK);
  return block < 4.8 * single ** 2 && block < 3.2 * at(2) && block < 2.4 * at(4) ? v : null;
}

function densest(ordered) {
  let x = ordered;
  while (x.length > 3) {
    const half = (x.length + 1) >> 1;
    let start = 0;
    for (let i = 1; i + half <= x.length; i++) if (x[i + half - 1] - x[i] < x[start + half - 1] - x[start]) start = i;
    x = x.subarray(start, start + half);
  }
  if (x.length === 3) x = x[1] - x[0] < x[2] - x[1] ? x.subarray(0, 2) : x[1] - x[0] > x[2] - x[1] ? x.subarray(1, 3) : x.subarray(1, 2);
  return x.reduce((a, b) => a + b, 0) / x.length;
}

function spread(residuals, size) {
  const sums = [];
  let sum = 0;
  for (const [i, x] of residuals.entries()) {
    sum += x - (i >= size ? residuals[i - size] : 0);
    if (i >= size - 1) sums.push(sum);
  }
  const middle = median(sums);
  return 1.4826 * median(sums.map((x) => Math.abs(x - middle)));
}

function median(values) {
  const x = [...values].sort((a, b) => a - b);
  const half = x.length >> 1;
  return x.length % 2 ? x[half] : (x[half - 1] + x[half]) / 2;
}

// -- ids

function randomId() {
  const bytes = crypto.getRandomValues(new Uint8Array(16));
  bytes[6] = (bytes[6] & 0x0f) | 0x40;
  bytes[8] = (bytes[8] & 0x3f) | 0x80;
  const hex = Array.from(bytes, (b) => b.toString(16).padStart(2, "0")).join("");
  return hex.replace(/^(.{8})(.{4})(.{4})(.{4})(.{12})$/, "$1-$2-$3-$4-$5");
}

/** SHA-256 (FIPS 180-4) in hexadecimal: the browser's own is not there on a page without TLS. */
export function sha256(text) {
  const fraction = (x) => ((x - Math.floor(x)) * 2 ** 32) | 0;
  const primes = [];
  for (let n = 2; primes.length < 64; n++) if (primes.every((p) => n % p)) primes.push(n);
  const k = primes.map((p) => fraction(Math.cbrt(p)));
  const h = primes.slice(0, 8).map((p) => fraction(Math.sqrt(p)));
  const data = new TextEncoder().encode(text);
  const words = new Uint8Array(((data.length + 8) >> 6 << 6) + 64);
  words.set(data);
  words[data.length] = 0x80;
  new DataView(words.buffer).setUint32(words.length - 4, data.length * 8);
  const view = new DataView(words.buffer);
  const turn = (x, n) => (x >>> n) | (x << (32 - n));
  for (let start = 0; start < words.length; start += 64) {
    const w = Array.from({ length: 16 }, (_, i) => view.getInt32(start + 4 * i));
    for (let i = 16; i < 64; i++) {
      const [a, b] = [w[i - 15], w[i - 2]];
      w[i] = (w[i - 16] + (turn(a, 7) ^ turn(a, 18) ^ (a >>> 3)) + w[i - 7] + (turn(b, 17) ^ turn(b, 19) ^ (b >>> 10))) | 0;
    }
    const s = [...h];
    for (let i = 0; i < 64; i++) {
      const [a, b, c, , e, f, g, last] = s;
      const t1 = last + (turn(e, 6) ^ turn(e, 11) ^ turn(e, 25)) + ((e & f) ^ (~e & g)) + k[i] + w[i];
      const t2 = (turn(a, 2) ^ turn(a, 13) ^ turn(a, 22)) + ((a & b) ^ (a & c) ^ (b & c));
      s.pop();
      s[3] = (s[3] + t1) | 0;
      s.unshift((t1 + t2) | 0);
    }
    for (let i = 0; i < 8; i++) h[i] = (h[i] + s[i]) | 0;
  }
  return h.map((x) => (x >>> 0).toString(16).padStart(8, "0")).join("");
}
