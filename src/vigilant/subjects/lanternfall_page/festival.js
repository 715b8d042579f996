/** Lanternfall, in the page: a festival of paper lanterns on a river at night, drawn with WebGL 2.
 *
 * Two switches and a knob, in the address:
 *   neighbours=all|grid   how each lantern finds those it must not touch: every other one, or those of the cells around it
 *   glow=layers|table     a lantern's glow summed from twelve layers at every point, or looked up in a table of the sums
 *   lanterns=400          how many of them
 *   seed=7                where they begin
 * A frame moves them by one step, however long it took: what is drawn in a frame does not depend on how quick it is. */

const NEAR = 0.035;
const LAYERS = 12;
/** Entries of the table a unit of distance; a lantern reaches out to the root of two. */
const PER_UNIT = 720;
/** Legs of the course, by seconds since the first frame. */
const COURSE = [
  [0, "landing stage"],
  [3, "under the bridge"],
  [6, "open water"],
];

function chance(seed) {
  let state = seed >>> 0;
  return () => {
    state = (state + 0x6d2b79f5) >>> 0;
    let mixed = Math.imul(state ^ (state >>> 15), state | 1);
    mixed ^= mixed + Math.imul(mixed ^ (mixed >>> 7), mixed | 61);
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 4294967296;
  };
}

/** The lanterns and how they drift; positions in 0..1 across and along the river. */
export class River {
  constructor(count, seed) {
    const next = chance(seed);
    this.x = Float64Array.from({ length: count }, next);
    this.y = Float64Array.from({ length: count }, next);
    this.pace = Float64Array.from({ length: count }, () => 0.0006 + 0.0008 * next());
    this.side = new Float64Array(count);
  }

  /** One step. `neighbours` says how those that are near are found; the drift is the same to the bit. */
  step(neighbours) {
    if (neighbours === "grid") this.#apartByCells();
    else this.#apartByAll();
    for (let i = 0; i < this.x.length; i++) {
      this.y[i] = (this.y[i] + this.pace[i]) % 1;
      this.x[i] = Math.min(1, Math.max(0, this.x[i] + Math.max(-0.002, Math.min(0.002, this.side[i]))));
    }
  }

  #push(i, j) {
    const across = this.x[i] - this.x[j];
    const along = this.y[i] - this.y[j];
    const apart = across * across + along * along;
    return apart < NEAR * NEAR && apart > 0 ? (0.0004 * across) / (apart + 1e-4) : 0;
  }

  #apartByAll() {
    for (let i = 0; i < this.x.length; i++) {
      let side = 0;
      for (let j = 0; j < this.x.length; j++) if (j !== i) side += this.#push(i, j);
      this.side[i] = side;
    }
  }

  #apartByCells() {
    const cells = Math.floor(1 / NEAR);
    const cellOf = (value) => Math.min(cells - 1, Math.floor(value * cells));
    const held = Array.from({ length: cells * cells }, () => []);
    for (let i = 0; i < this.x.length; i++) held[cellOf(this.y[i]) * cells + cellOf(this.x[i])].push(i);
    for (let i = 0; i < this.x.length; i++) {
      const near = [];
      for (let row = Math.max(0, cellOf(this.y[i]) - 1); row <= Math.min(cells - 1, cellOf(this.y[i]) + 1); row++)
        for (let at = Math.max(0, cellOf(this.x[i]) - 1); at <= Math.min(cells - 1, cellOf(this.x[i]) + 1); at++)
          near.push(...held[row * cells + at]);
      near.sort((one, other) => one - other); // summed in one order, so that both ways drift alike
      let side = 0;
      for (const j of near) if (j !== i) side += this.#push(i, j);
      this.side[i] = side;
    }
  }
}

const VERTEX = `#version 300 es
in vec2 corner;
in vec2 place;
uniform float size;
uniform float wide;
out vec2 within;
void main() {
  within = corner;
  gl_Position = vec4(place.x * 2.0 - 1.0 + corner.x * size / wide, 1.0 - place.y * 2.0 + corner.y * size, 0.0, 1.0);
}`;
const FRAGMENT = `#version 300 es
precision highp float;
in vec2 within;
uniform float strength;
uniform bool layered;
uniform sampler2D sums;
out vec4 light;
void main() {
  float far = length(within);
  float glow = 0.0;
  if (layered) for (int i = 0; i < LAYERS; i++) glow += exp(-far * far * (3.0 + 0.8 * float(i))) / float(LAYERS);
  else glow = texelFetch(sums, ivec2(int(far * PER_UNIT), 0), 0).r;
  light = vec4(vec3(1.0, 0.72, 0.36) * glow * strength, 1.0);
}`;

function program(gl) {
  const made = gl.createProgram();
  for (const [kind, source] of [[gl.VERTEX_SHADER, VERTEX], [gl.FRAGMENT_SHADER, FRAGMENT]]) {
    const shader = gl.createShader(kind);
    gl.shaderSource(shader, source.replaceAll("LAYERS", LAYERS).replaceAll("PER_UNIT", `${PER_UNIT}.0`));
    gl.compileShader(shader);
    gl.attachShader(made, shader);
  }
  gl.linkProgram(made);
  if (!gl.getProgramParameter(made, gl.LINK_STATUS)) throw new Error(gl.getProgramInfoLog(made));
  return made;
}

/** The sums of a glow's layers by distance, as a row of a texture. */
function tableOfSums(gl) {
  const sums = Float32Array.from({ length: 1024 }, (_, at) => {
    const far = (at + 0.5) / PER_UNIT;
    let glow = 0;
    for (let i = 0; i < LAYERS; i++) glow += Math.exp(-far * far * (3 + 0.8 * i)) / LAYERS;
    return glow;
  });
  gl.bindTexture(gl.TEXTURE_2D, gl.createTexture());
  gl.texImage2D(gl.TEXTURE_2D, 0, gl.R32F, sums.length, 1, 0, gl.RED, gl.FLOAT, sums);
  for (const filter of [gl.TEXTURE_MIN_FILTER, gl.TEXTURE_MAG_FILTER]) gl.texParameteri(gl.TEXTURE_2D, filter, gl.NEAREST);
}

/** Play the festival on a canvas until the page is left. */
export function play(canvas, asked) {
  const count = Number(asked.get("lanterns") ?? 400);
  const neighbours = asked.get("neighbours") ?? "all";
  const layered = (asked.get("glow") ?? "layers") === "layers";
  const gl = canvas.getContext("webgl2", { antialias: false, alpha: false });
  if (!gl) throw new Error("Lanternfall needs WebGL 2");
  const river = new River(count, Number(asked.get("seed") ?? 7));
  const draw = program(gl);
  const uniform = (name) => gl.getUniformLocation(draw, name);
  const [size, wide, strength, summed] = ["size", "wide", "strength", "layered"].map(uniform);
  tableOfSums(gl);
  const places = new Float32Array(2 * count);
  const bind = (name, data, each) => {
    const buffer = gl.createBuffer();
    const at = gl.getAttribLocation(draw, name);
    gl.bindBuffer(gl.ARRAY_BUFFER, buffer);
    gl.bufferData(gl.ARRAY_BUFFER, data, gl.DYNAMIC_DRAW);
    gl.enableVertexAttribArray(at);
    gl.vertexAttribPointer(at, 2, gl.FLOAT, false, 0, 0);
    gl.vertexAttribDivisor(at, each);
    return buffer;
  };
  bind("corner", new Float32Array([-1, -1, 1, -1, -1, 1, 1, 1]), 0);
  const moved = bind("place", places, 1);
  gl.useProgram(draw);
  gl.enable(gl.BLEND);
  gl.blendFunc(gl.ONE, gl.ONE);
  let first = null;
  let leg = 0;
  requestAnimationFrame(function frame(now) {
    requestAnimationFrame(frame);
    first ??= now;
    while (leg < COURSE.length && now - first >= 1000 * COURSE[leg][0])
      performance.mark(COURSE[leg++][1], { detail: { play: true } });
    const began = performance.now();
    river.step(neighbours);
    const stepped = performance.now();
    if (canvas.width !== innerWidth || canvas.height !== innerHeight) {
      canvas.width = innerWidth;
      canvas.height = innerHeight;
    }
    for (let i = 0; i < count; i++) {
      places[2 * i] = river.x[i];
      places[2 * i + 1] = river.y[i];
    }
    gl.viewport(0, 0, canvas.width, canvas.height);
    gl.clearColor(0.04, 0.08, 0.13, 1);
    gl.clear(gl.COLOR_BUFFER_BIT);
    gl.bindBuffer(gl.ARRAY_BUFFER, moved);
    gl.bufferSubData(gl.ARRAY_BUFFER, 0, places);
    gl.uniform1f(size, 0.06);
    gl.uniform1f(wide, canvas.width / canvas.height);
    gl.uniform1i(summed, layered);
    gl.uniform1f(strength, 0.5);
    gl.drawArraysInstanced(gl.TRIANGLE_STRIP, 0, 4, count);
    performance.measure("steer lanterns", { start: began, end: stepped });
    performance.measure("draw lanterns", { start: stepped, end: performance.now() });
  });
}
