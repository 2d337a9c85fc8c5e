import type { Chart } from "../api/client";

/** The table of a chart as CSV: raw values, a point as decimal mark, text in quotes where it needs them. */
export function csv(chart: Chart): string {
  const cell = (v: string | number | null | undefined) => {
    const text = v === null || v === undefined ? "" : String(v);
    return /[",\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
  };
  return [chart.table.heads, ...chart.table.rows].map((row) => row.map(cell).join(",")).join("\r\n");
}

/** The picture as an SVG document of its own. */
export function svgText(figure: HTMLElement, ground: string): string | null {
  const source = figure.querySelector("svg[role=img]");
  if (!(source instanceof SVGSVGElement)) return null;
  const copy = source.cloneNode(true) as SVGSVGElement;
  for (const passing of copy.querySelectorAll("[data-found]")) passing.remove();
  copy.setAttribute("xmlns", "http://www.w3.org/2000/svg");
  copy.style.background = ground;
  return new XMLSerializer().serializeToString(copy);
}

export function download(name: string, data: Blob) {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(data);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 1000);
}

export function saveSvg(name: string, figure: HTMLElement, ground: string) {
  const text = svgText(figure, ground);
  if (text) download(`${name}.svg`, new Blob([text], { type: "image/svg+xml" }));
}

/** The picture as PNG, at twice its size on the page. */
export function savePng(name: string, figure: HTMLElement, ground: string) {
  const text = svgText(figure, ground);
  if (!text) return;
  const image = new Image();
  image.onload = () => {
    const canvas = document.createElement("canvas");
    canvas.width = image.width * 2;
    canvas.height = image.height * 2;
    const context = canvas.getContext("2d");
    if (!context) return;
    context.fillStyle = ground;
    context.fillRect(0, 0, canvas.width, canvas.height);
    context.drawImage(image, 0, 0, canvas.width, canvas.height);
    canvas.toBlob((blob) => blob && download(`${name}.png`, blob));
  };
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(text)}`;
}
