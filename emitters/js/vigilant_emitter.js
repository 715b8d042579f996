/** Report the frames of a page or a Node program to Vigilant Ledger: copy this one file into it.
 *
 *     import { Emitter, intoFile } from "./vigilant_emitter.js";
 *
 *     const emitter = new Emitter({ lanes: { river: "processor" }, counters: ["boats"], ...(await intoFile()) });
 *     emitter.mark("landing stage");
 *     emitter.start();
 *     while (playing) {
 *       emitter.part("steer boats", () => { ... });       // a piece of the frame's work, as finely as you like
 *       emitter.frame({ river: riverMs, boats: 40 });     // once a frame, right after it was presented
 *     }
 *     emitter.close();
 *
 * Frames go to the file that the environment variable VIGILANT_FRAMES names; without it nothing is written and every
 * call is cheap. In a page use `watchPage`, which `vigilant page` puts into a page by itself. No dependency.
 * Licence: Apache-2.0. */

const LINES_AT_ONCE = 512;

/** Where a Node program writes: the file in VIGILANT_FRAMES, or one named; nothing where there is none. */
export async function intoFile(path = globalThis.process?.env.VIGILANT_FRAMES) {
  if (!path) return {};
  const fs = await import("node:fs");
  const file = fs.openSync(path, "w");
  return { write: (text) => fs.writeSync(file, text), ended: () => fs.closeSync(file) };
}

/** One run. `lanes` maps a lane to its role (processor, graphics, waiting); times in ms. `write` takes whole lines. */
export class Emitter {
  constructor({ lanes = {}, counters = [], frameIs = "start to start", conditions = {}, write, ended, now, ...head } = {}) {
    this.lanes = Object.keys(lanes);
    this.counters = counters;
    this.write = write;
    this.ended = ended;
    this.now = now ?? (() => performance.now());
    this.frames = 0;
    this.totalMs = 0;
    this.last = null;
    this.lines = [];
    this.open = [];
    this.parts = new Map();
    this.line({
      vigilant_frames: 1,
      columns: ["frame", ...this.lanes],
      unit: "ms",
      clock: "monotonic",
      frame_is: frameIs,
      lanes,
      counters,
      started: new Date().toISOString().replace(/\.\d+/, ""),
      conditions,
      ...head,
    });
  }

  line(value) {
    if (!this.write) return;
    this.lines.push(JSON.stringify(value));
    if (this.lines.length >= LINES_AT_ONCE) this.flush();
  }

  flush() {
    if (this.write && this.lines.length) this.write(`${this.lines.join("\n")}\n`);
    this.lines = [];
  }

  /** Start the clock; a first frame() without it only does this. */
  start() {
    this.last = this.now();
  }

  /** End a frame. Lanes and counters are given by name; one left out is missing. Its time is measured since the last
   * call unless it is given. */
  frame(values = {}, frameMs) {
    if (frameMs === undefined) {
      const now = this.now();
      const last = this.last;
      this.last = now;
      if (last === null || now <= last) {
        if (last === null) this.parts.clear();
        return;
      }
      frameMs = now - last;
    }
    const number = (name) => (Number.isFinite(values[name]) ? values[name] : null);
    this.line([frameMs, ...this.lanes.map(number), ...this.counters.map(number)]);
    this.frames += 1;
    this.totalMs += frameMs;
    for (const part of this.parts.values()) this.line({ ...part, frame: this.frames - 1 });
    this.parts.clear();
  }

  /** Time a named piece of the present frame: what `work` takes. Inside another part it is a piece of that one. */
  part(name, work, { lane, counts, kind } = {}) {
    if (!this.write) return work();
    this.open.push(name);
    const path = [...this.open];
    const began = this.now();
    try {
      return work();
    } finally {
      const ms = this.now() - began;
      this.open.pop();
      this.addPart(path, ms, { lane, counts, kind, ...(this.last !== null && { at: began - this.last }) });
    }
  }

  /** A piece of the present frame that was timed elsewhere; `path` is its name, or names from the outside in. */
  addPart(path, ms, { lane, counts, calls = 1, at, kind } = {}) {
    const names = [path].flat();
    const key = JSON.stringify([names, lane]);
    const old = this.parts.get(key);
    const summed = { ...old?.counts };
    for (const [name, count] of Object.entries(counts ?? {})) summed[name] = (summed[name] ?? 0) + count;
    const begins = old?.at ?? at;
    this.parts.set(key, {
      part: names,
      ms: (old?.ms ?? 0) + ms,
      calls: (old?.calls ?? 0) + calls,
      ...(lane && { lane }),
      ...(kind && { kind }),
      ...(begins !== undefined && { at: begins }),
      ...(Object.keys(summed).length && { counts: summed }),
    });
  }

  /** Begin a leg of the course at the next frame; `play` false keeps it out of the figures. */
  mark(name, play = true) {
    this.line({ mark: name, play });
  }

  /** One number for the whole run, such as a load time. */
  figure(name, value) {
    this.line({ figure: name, value });
  }

  /** What there is: so many pieces of a kind, and what one weighs, such as `{ triangles: 1200 }`; again it replaces. */
  item(kind, count, weights = {}) {
    const said = Object.entries(weights).map(([weight, a_piece]) => ({ weight, a_piece }));
    for (const one of said.length ? said : [{}]) this.line({ item: kind, count, ...one });
  }

  /** Name a picture of the present frame; pictures of one `sequence` show short motion. Writing it is the program's. */
  still(name, { shows, sequence } = {}) {
    this.line({ still: name, ...(shows && { shows }), ...(sequence && { sequence }) });
  }

  /** Whether the window is in front and seen, from the next frame on. */
  window(state) {
    this.line({ window: state });
  }

  close() {
    this.line({ end: { frames: this.frames, ms: this.totalMs } });
    this.flush();
    this.ended?.();
    this.write = undefined;
  }
}

/** The smallest step of the page's clock, ms: browsers make it coarse. */
export function clockStep() {
  let least = Number.POSITIVE_INFINITY;
  for (let looks = 0; looks < 5; looks++) {
    const from = performance.now();
    let to = from;
    while (to === from) to = performance.now();
    least = Math.min(least, to - from);
  }
  return Math.round(least * 1e4) / 1e4;
}

/** Watch the page's own frames: the stamps of its animation frames, what its callbacks and its rendering take on the
 * main thread, and the rest, which it waits. Long animation frames and user timings (W3C) become parts;
 * `performance.mark(name, { detail: { play: true } })` begins a leg. While the page is hidden nothing counts. */
export function watchPage({ write, conditions = {}, ...head }) {
  const request = globalThis.requestAnimationFrame.bind(globalThis);
  const every = globalThis.setInterval.bind(globalThis);
  const emitter = new Emitter({
    lanes: { "animation callbacks": "processor", rendering: "processor", waiting: "waiting" },
    conditions: { ...conditions, "page clock step": `${clockStep()} ms` },
    write,
    ...head,
  });
  const channel = new MessageChannel();
  // When the callbacks of the newest frames began, so that what is told late finds its own; stamps lie before that.
  const starts = [];
  let stamp = null;
  let callbacks = 0;
  let calledUntil = 0;
  let rendered = null;
  let leg = ["loading", false];
  let hidden = false;
  let skip = false;
  const mark = (name, play) => {
    leg = [name, play];
    if (!hidden) emitter.mark(name, play);
  };
  channel.port1.onmessage = ({ data }) => {
    // Behind the frame's rendering in the main thread's order.
    if (data === stamp) rendered = performance.now() - calledUntil;
  };
  globalThis.requestAnimationFrame = (callback) =>
    request((now) => {
      const began = performance.now();
      try {
        return callback(now);
      } finally {
        calledUntil = performance.now();
        callbacks += calledUntil - began;
      }
    });
  request(function tick(now) {
    request(tick);
    if (stamp !== null && now <= stamp) return; // drawn twice within one stamp: one frame
    if (stamp !== null && !skip) {
      const frameMs = now - stamp;
      const known = rendered !== null;
      emitter.frame(
        {
          "animation callbacks": callbacks,
          rendering: known ? rendered : null,
          waiting: known ? Math.max(0, frameMs - callbacks - rendered) : null,
        },
        frameMs,
      );
    }
    skip = false;
    stamp = now;
    starts.push([performance.now(), emitter.frames]);
    if (starts.length > 2000) starts.splice(0, 1000);
    callbacks = 0;
    rendered = null;
    calledUntil = performance.now();
    channel.port2.postMessage(now);
  });
  const frameAt = (ms) => {
    for (let i = starts.length - 1; i >= 0; i--) if (starts[i][0] <= ms) return starts[i];
    return null;
  };
  const part = (path, { startTime, duration }, within = startTime) => {
    const frame = frameAt(within);
    if (!frame) return;
    const at = startTime - frame[0];
    emitter.line({ part: path, frame: frame[1], ms: duration, calls: 1, ...(at >= 0 && { at }) });
  };
  const told = {
    "long-animation-frame": (entry) => {
      const within = entry.renderStart || entry.startTime;
      part(["long animation frame"], entry, within);
      for (const script of entry.scripts ?? [])
        part(["long animation frame", script.invoker || "script"], script, within);
    },
    measure: (entry) => part([entry.name], entry),
    mark: (entry) => {
      if (typeof entry.detail?.play === "boolean") mark(entry.name, entry.detail.play);
    },
  };
  for (const [type, take] of Object.entries(told))
    if (PerformanceObserver.supportedEntryTypes.includes(type))
      new PerformanceObserver((list) => list.getEntries().forEach(take)).observe({ type, buffered: true });
  const seen = () => {
    hidden = document.visibilityState === "hidden";
    emitter.window({ visible: !hidden });
    if (hidden) emitter.mark("hidden", false);
    else emitter.mark(...leg);
    skip = true; // a frame that lasted while nothing was drawn is none
  };
  document.addEventListener("visibilitychange", seen);
  emitter.mark(...leg);
  const loaded = () => leg[0] === "loading" && mark("the page", true);
  if (document.readyState === "complete") loaded();
  else addEventListener("load", loaded);
  every(() => emitter.flush(), 200);
  return { emitter, mark };
}

const LINES_A_PIECE = 20_000;
const TRIES = 6;
const FIRST_FRAME_MS = 20_000;

/** What the address of this page says of a run that is asked of it; null where nobody asks. */
function askedOfUs() {
  const [, given] = /[#&]vigilant=([\w-]+)/.exec(location.hash) ?? [];
  if (!given) return null;
  // Read again or sent on, the address asks for nothing.
  history.replaceState(history.state, "", location.pathname + location.search);
  return JSON.parse(atob(given.replaceAll("-", "+").replaceAll("_", "/")));
}

/** What this browser says of itself; asked after the run, since asking for the renderer draws. */
function browserFacts() {
  const brand = navigator.userAgentData?.brands.find(({ brand }) => !/not/i.test(brand));
  const [, name, version] = /(Firefox|Chrome|Version)\/(\d+)/.exec(navigator.userAgent) ?? [];
  const gl = document.createElement("canvas").getContext("webgl2");
  const more = gl?.getExtension("WEBGL_debug_renderer_info");
  const facts = {
    browser: brand ? `${brand.brand} ${brand.version}` : name ? `${name} ${version}` : "not told",
    system: navigator.userAgentData?.platform || navigator.platform || "not told",
    cores: navigator.hardwareConcurrency,
    screen: `${screen.width}x${screen.height}`,
    viewport: `${innerWidth}x${innerHeight}`,
    "pixel ratio": devicePixelRatio,
    renderer: gl ? gl.getParameter(more ? more.UNMASKED_RENDERER_WEBGL : gl.RENDERER) : "no WebGL 2",
  };
  return Object.fromEntries(Object.entries(facts).map(([key, value]) => [key, String(value ?? "not told").slice(0, 200)]));
}

/** Record this page in a visitor's own browser, if a link of the Bench asks for it: put
 *
 *     import { visit } from "./vigilant_emitter.js";
 *     const asked = visit();
 *
 * before the page's own scripts. Where nobody asks it does nothing and is null; else `asked` has the `load` and the
 * `seed` to play with, `mark` to begin legs by, and `emitter`. Nothing is sent while the page plays: its frames are
 * delivered when its time is over, and the page that plays next is opened. `said` is told what goes wrong. */
export function visit({ said = (text) => console.warn(`vigilant: ${text}`) } = {}) {
  const asked = askedOfUs();
  if (!asked) return null;
  const texts = [];
  const watched = watchPage({
    write: (text) => texts.push(text),
    frameIs: "shown to shown",
    clock: "coarse",
    seed: asked.seed,
  });
  const ask = async (method, path, body, type = "application/json") => {
    for (let tries = 1; ; tries++) {
      try {
        const answer = await fetch(`${asked.to}/${path}/`, {
          method,
          body,
          headers: { Authorization: `Bearer ${asked.token}`, "Content-Type": type },
        });
        if (answer.ok) return answer.json();
        if (answer.status < 500 && answer.status !== 429) throw Object.assign(new Error((await answer.json()).detail), { final: true });
      } catch (error) {
        if (error.final || tries === TRIES) throw error;
      }
      await new Promise((then) => setTimeout(then, 2 ** tries * 250)); // the network is away, or the server is busy
    }
  };
  const deliver = async () => {
    const { emitter } = watched;
    emitter.close();
    const { frames } = emitter; // the page goes on drawing
    const [head, ...rest] = texts.join("").trimEnd().split("\n");
    await ask("POST", "head", JSON.stringify({ head: JSON.parse(head), facts: browserFacts() }));
    for (let piece = 0; piece * LINES_A_PIECE < rest.length; piece++) {
      const some = rest.slice(piece * LINES_A_PIECE, (piece + 1) * LINES_A_PIECE);
      await ask("PUT", `lines/${piece}`, `${some.join("\n")}\n`, "application/x-ndjson");
    }
    const { address } = await ask("POST", "end", JSON.stringify({ frames }));
    const same = address?.split("#")[0] === location.href.split("#")[0];
    location.replace(address ?? asked.back);
    if (same) location.reload(); // another # part alone opens nothing
  };
  const began = performance.now();
  const timer = setInterval(() => {
    const { frames, totalMs } = watched.emitter;
    const drawsNothing = frames === 0 && performance.now() - began > FIRST_FRAME_MS;
    if (totalMs < asked.seconds * 1000 && !drawsNothing) return;
    clearInterval(timer);
    deliver().catch((error) => said(`the run was not delivered: ${error.message}`));
  }, 50);
  ask("POST", "begins").catch((error) => said(`the Bench was not told: ${error.message}`));
  return { ...watched, load: asked.load, seed: asked.seed, seconds: asked.seconds };
}
