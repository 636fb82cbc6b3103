/** A drawing of the page as a file of its own: whatever the page's styles say of it is written into it. */

const KEPT = [
  "stroke-width",
  "stroke-dasharray",
  "stroke-linecap",
  "opacity",
  "font-family",
  "font-size",
  "font-weight",
  "text-anchor",
] as const;

/** The drawing as SVG, with its title, on the ground that it has on the page. */
export function standaloneSvg(drawing: SVGSVGElement): string {
  const copy = drawing.cloneNode(true) as SVGSVGElement;
  const [here, there] = [drawing, copy].map((root) => [root, ...root.querySelectorAll("*")]);
  there?.forEach((element, place) => {
    const source = here?.[place];
    if (!source || element.tagName === "title") return;
    const styles = getComputedStyle(source);
    for (const name of KEPT) element.setAttribute(name, styles.getPropertyValue(name));
    for (const name of ["fill", "stroke"]) element.setAttribute(name, plain(styles.getPropertyValue(name)));
    for (const name of ["class", "style", "data-testid", "aria-labelledby"]) element.removeAttribute(name);
  });
  const { width, height } = drawing.getBoundingClientRect();
  copy.setAttribute("xmlns", "http://www.w3.org/2000/svg");
  copy.setAttribute("viewBox", `0 0 ${width} ${height}`);
  const ground = document.createElementNS("http://www.w3.org/2000/svg", "rect");
  for (const [name, value] of Object.entries({
    width: "100%",
    height: "100%",
    fill: plain(groundOf(drawing)),
  }))
    ground.setAttribute(name, value);
  copy.insertBefore(ground, copy.firstChild);
  return new XMLSerializer().serializeToString(copy);
}

/** A colour as red, green and blue, which every program knows that reads drawings. */
function plain(colour: string): string {
  const context = document.createElement("canvas").getContext("2d");
  if (!context || colour === "none" || colour === "") return colour;
  context.fillStyle = colour;
  context.fillRect(0, 0, 1, 1);
  const [red, green, blue] = context.getImageData(0, 0, 1, 1).data;
  return `rgb(${red}, ${green}, ${blue})`;
}

/** The first colour behind an element. */
function groundOf(element: Element | null): string {
  for (let at = element; at; at = at.parentElement) {
    const colour = getComputedStyle(at).backgroundColor;
    if (colour && colour !== "transparent" && colour !== "rgba(0, 0, 0, 0)") return colour;
  }
  return "white";
}

/** The same as pixels, two for each unit, so that it is sharp in print as well. */
export async function svgAsPng(svg: string, width: number, height: number): Promise<Blob> {
  const image = new Image();
  const address = URL.createObjectURL(new Blob([svg], { type: "image/svg+xml" }));
  try {
    image.src = address;
    await image.decode();
    const canvas = document.createElement("canvas");
    [canvas.width, canvas.height] = [2 * width, 2 * height];
    canvas.getContext("2d")?.drawImage(image, 0, 0, canvas.width, canvas.height);
    return await new Promise((done, failed) =>
      canvas.toBlob(
        (blob) => (blob ? done(blob) : failed(new Error("The picture is too large."))),
        "image/png",
      ),
    );
  } finally {
    URL.revokeObjectURL(address);
  }
}

/** Hands a file to the browser's downloads. */
export function download(data: Blob, name: string): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(data);
  link.download = name;
  link.click();
  // By then the browser has taken it.
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}
