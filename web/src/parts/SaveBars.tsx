import { duration } from "../words";
import { type Segment, total } from "./Bar";
import { leave, SaveAs } from "./SaveAs";

/** A bar with what it is of. */
export interface BarRow {
  label: string;
  list: Segment[];
}

const left = 190;
const right = 100;
const width = 960;
const row = 30;
const letters = 13;

const escaped = (text: string) =>
  text.replaceAll("&", "&amp;").replaceAll("<", "&lt;").replaceAll('"', "&quot;");

/** clip shortens what would not fit beside a bar. */
const clip = (text: string) => (text.length > 26 ? `${text.slice(0, 25)}…` : text);

/** drawing draws bars as they stand on the page, with their key, as an SVG that needs nothing else. */
function drawing(title: string, rows: BarRow[], whole: number): { text: string; height: number } {
  const style = getComputedStyle(document.documentElement);
  const css = (colour: string) =>
    colour.startsWith("var(") ? style.getPropertyValue(colour.slice(4, -1)).trim() : colour;
  const ink = css("var(--color-base-content)");
  const room = width - left - right;
  const out: string[] = [];
  const write = (x: number, y: number, text: string, more = "") =>
    out.push(`<text x="${x}" y="${y}" fill="${ink}" ${more}>${escaped(text)}</text>`);
  write(10, 24, title, 'font-weight="600" font-size="15"');
  let y = 40;
  for (const r of rows) {
    const sum = total(r.list);
    write(10, y + 15, clip(r.label));
    out.push(
      `<rect x="${left}" y="${y}" width="${room}" height="20" fill="${css("var(--color-base-200)")}"/>`,
    );
    const scale = whole > 0 ? Math.min(room, (room * sum) / whole) / Math.max(1, sum) : 0;
    let x = left;
    for (const s of r.list) {
      out.push(
        `<rect x="${x.toFixed(2)}" y="${y}" width="${(s.ns * scale).toFixed(2)}" height="20" fill="${css(s.colour)}"><title>${escaped(`${s.name} ${duration(s.ns)}`)}</title></rect>`,
      );
      x += s.ns * scale;
    }
    if (whole > 0 && sum > 1.001 * whole) {
      const cut = left + 0.94 * room;
      out.push(
        `<path d="M${cut} ${y + 20}l6-20h8l-6 20z" fill="${css("var(--color-base-100)")}" stroke="${ink}"/>`,
      );
    }
    write(width - 10, y + 15, duration(sum), 'text-anchor="end"');
    y += row;
  }
  const kinds = [...new Map(rows.flatMap((r) => r.list).map((s) => [s.key, s])).values()];
  let x = 10;
  y += 8;
  for (const s of kinds) {
    const wide = 24 + 7.2 * s.name.length + 14;
    if (x + wide > width) {
      x = 10;
      y += 20;
    }
    out.push(`<rect x="${x}" y="${y}" width="12" height="12" fill="${css(s.colour)}"/>`);
    write(x + 18, y + 11, s.name);
    x += wide;
  }
  const height = y + 24;
  const text =
    `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}" viewBox="0 0 ${width} ${height}" ` +
    `font-family="sans-serif" font-size="${letters}"><rect width="100%" height="100%" fill="${css("var(--color-base-100)")}"/>${out.join("")}</svg>`;
  return { text, height };
}

/** Takes bars away as a picture, as charts are. */
export function SaveBars({ title, rows, whole }: { title: string; rows: BarRow[]; whole: number }) {
  const name = title.replaceAll(/\W+/g, "-");
  const save = async (form: "png" | "svg") => {
    const { text, height } = drawing(title, rows, whole);
    if (form === "svg") {
      leave(URL.createObjectURL(new Blob([text], { type: "image/svg+xml" })), `${name}.svg`);
      return;
    }
    const picture = new Image();
    picture.src = `data:image/svg+xml,${encodeURIComponent(text)}`;
    await picture.decode();
    const canvas = document.createElement("canvas");
    canvas.width = 2 * width;
    canvas.height = 2 * height;
    canvas.getContext("2d")?.drawImage(picture, 0, 0, canvas.width, canvas.height);
    leave(canvas.toDataURL("image/png"), `${name}.png`);
  };
  return <SaveAs what={title} save={(form) => void save(form)} />;
}
