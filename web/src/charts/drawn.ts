/** What is drawn, taken out of the page: as SVG with its styles written in, as PNG. */

const STYLES = [
  "fill",
  "stroke",
  "stroke-width",
  "stroke-dasharray",
  "opacity",
  "font-family",
  "font-size",
  "font-weight",
  "text-anchor",
  "dominant-baseline",
];
/** So many dots of a picture to one of the page: sharp on paper too. */
const SHARP = 2;

const paper = () => getComputedStyle(document.querySelector("#page > div") ?? document.body).backgroundColor;

/** The drawing alone, on the page's sheet. */
export function asSvg(svg: SVGSVGElement): string {
  const copy = svg.cloneNode(true) as SVGSVGElement;
  const from = [svg, ...svg.querySelectorAll("*")];
  const to = [copy, ...copy.querySelectorAll("*")];
  to.forEach((element, i) => {
    const style = getComputedStyle(from[i] as Element);
    element.removeAttribute("class");
    for (const name of STYLES) {
      const value = style.getPropertyValue(name);
      if (value && (name !== "opacity" || value !== "1")) element.setAttribute(name, value);
    }
  });
  for (const passing of copy.querySelectorAll("[data-reading]")) passing.remove();
  copy.setAttribute("xmlns", "http://www.w3.org/2000/svg");
  const sheet = document.createElementNS("http://www.w3.org/2000/svg", "rect");
  for (const [name, value] of [
    ["width", "100%"],
    ["height", "100%"],
    ["fill", paper()],
  ] as const)
    sheet.setAttribute(name, value);
  copy.prepend(sheet);
  return copy.outerHTML;
}

function canvasOf(width: number, height: number): [HTMLCanvasElement, CanvasRenderingContext2D] {
  const canvas = document.createElement("canvas");
  canvas.width = width;
  canvas.height = height;
  const context = canvas.getContext("2d");
  if (!context) throw new Error("the browser draws no picture");
  context.fillStyle = paper();
  context.fillRect(0, 0, width, height);
  return [canvas, context];
}

const png = (canvas: HTMLCanvasElement) =>
  new Promise<Blob>((resolve, reject) =>
    canvas.toBlob((blob) => (blob ? resolve(blob) : reject(new Error("the picture is empty"))), "image/png"),
  );

/** What an element draws, as SVG or on canvases under each other, as one picture. */
export async function asPng(host: HTMLElement): Promise<Blob> {
  const svg = host.querySelector("svg");
  if (svg) {
    const image = new Image();
    image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(asSvg(svg))}`;
    await image.decode();
    const { width, height } = svg.getBoundingClientRect();
    const [canvas, context] = canvasOf(width * SHARP, height * SHARP);
    context.drawImage(image, 0, 0, width * SHARP, height * SHARP);
    return png(canvas);
  }
  const drawn = [...host.querySelectorAll("canvas")];
  const [canvas, context] = canvasOf(
    Math.max(1, ...drawn.map((one) => one.width)),
    Math.max(
      1,
      drawn.reduce((sum, one) => sum + one.height, 0),
    ),
  );
  let top = 0;
  for (const one of drawn) {
    context.drawImage(one, 0, top);
    top += one.height;
  }
  return png(canvas);
}
