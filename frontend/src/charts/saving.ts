/** Charts to take away: as a drawing, as a picture, as numbers. */

/** How many pixels a picture has for each of the page's. */
const FINE = 3;

/** The chart as a drawing of its own: colours and letters of the page written into it. */
export function drawingOf(chart: SVGSVGElement): string {
  const copy = chart.cloneNode(true) as SVGSVGElement;
  const originals = [chart, ...chart.querySelectorAll<SVGElement>("*")];
  const copies = [copy, ...copy.querySelectorAll<SVGElement>("*")];
  originals.forEach((original, place) => {
    const style = getComputedStyle(original);
    const mine = copies[place]!;
    for (const name of ["fill", "stroke"] as const) {
      if (original.getAttribute(name)?.startsWith("var(")) mine.setAttribute(name, style[name]);
    }
    if (original.tagName === "text") mine.setAttribute("font-family", style.fontFamily);
    mine.removeAttribute("class");
  });
  const { width, height } = chart.viewBox.baseVal;
  copy.setAttribute("xmlns", "http://www.w3.org/2000/svg");
  copy.setAttribute("width", String(width));
  copy.setAttribute("height", String(height));
  const ground = document.createElementNS("http://www.w3.org/2000/svg", "rect");
  ground.setAttribute("width", "100%");
  ground.setAttribute("height", "100%");
  ground.setAttribute("fill", getComputedStyle(document.body).backgroundColor);
  copy.prepend(ground);
  return new XMLSerializer().serializeToString(copy);
}

export async function pictureOf(chart: SVGSVGElement): Promise<Blob> {
  const image = new Image();
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(drawingOf(chart))}`;
  await image.decode();
  const canvas = document.createElement("canvas");
  canvas.width = chart.viewBox.baseVal.width * FINE;
  canvas.height = chart.viewBox.baseVal.height * FINE;
  canvas.getContext("2d")!.drawImage(image, 0, 0, canvas.width, canvas.height);
  return new Promise((resolve, reject) =>
    canvas.toBlob((blob) => (blob ? resolve(blob) : reject(new Error("The picture could not be made."))), "image/png"),
  );
}

type Cell = string | number | null | undefined;

/** Rows as CSV (RFC 4180); what is not there is left empty. */
export function csvOf(head: string[], rows: Cell[][]): string {
  const cell = (value: Cell) => {
    const text = value === null || value === undefined ? "" : String(value);
    return /[",\r\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
  };
  return [head, ...rows].map((row) => row.map(cell).join(",")).join("\r\n") + "\r\n";
}
