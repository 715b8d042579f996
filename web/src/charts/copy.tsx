import { type RefObject, useState } from "react";

export type Table = { head: string[]; rows: (string | number | null)[][] };

/** A spreadsheet takes what begins so for a formula; names come from anybody, so it is made a text. */
const plain = (value: string | number | null) => {
  const text = value === null ? "" : String(value);
  return typeof value === "string" && /^[=+\-@\t\r]/.test(text) && Number.isNaN(Number(text))
    ? `'${text}`
    : text;
};
const cell = (value: string | number | null) => {
  const text = plain(value);
  return /[",\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
};
export const asCsv = (table: Table) =>
  [table.head, ...table.rows].map((row) => row.map(cell).join(",")).join("\n");
export const asText = (table: Table) =>
  [table.head, ...table.rows].map((row) => row.map(plain).join("\t")).join("\n");

/** The drawing alone, with the book's colours written in. */
function asSvg(svg: SVGSVGElement): string {
  const copy = svg.cloneNode(true) as SVGSVGElement;
  copy.setAttribute("xmlns", "http://www.w3.org/2000/svg");
  const style = getComputedStyle(document.documentElement);
  return copy.outerHTML.replace(/var\((--[a-z]+)\)/g, (_, name: string) =>
    style.getPropertyValue(name).trim(),
  );
}

interface Props {
  table: () => Table;
  svg?: RefObject<HTMLDivElement | null>;
  shown: boolean;
  toggle: () => void;
}

/** Behind every chart: its table, and copies as text, CSV and (where it is drawn so) SVG. */
export function ChartTools({ table, svg, shown, toggle }: Props) {
  const [done, setDone] = useState("");
  const copy = async (what: string, text: string) => {
    try {
      await navigator.clipboard.writeText(text);
      setDone(`${what} copied`);
    } catch {
      setDone("the browser refused to copy");
    }
  };
  const button = (label: string, act: () => void) => (
    <button type="button" className="plain-button" onClick={act}>
      {label}
    </button>
  );
  return (
    <span className="tools wide-only">
      <span role="status">{done}</span>
      {button(shown ? "hide table" : "table", toggle)}
      {button("copy text", () => copy("text", asText(table())))}
      {button("copy CSV", () => copy("CSV", asCsv(table())))}
      {svg &&
        button("copy SVG", () => {
          const drawing = svg.current?.querySelector("svg");
          if (drawing) copy("SVG", asSvg(drawing));
        })}
    </span>
  );
}

export function TableBehind({ table }: { table: Table }) {
  return (
    <div className="table-behind">
      <table className="ruled">
        <thead>
          <tr>
            {table.head.map((name) => (
              <th key={name} className="right">
                {name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {table.rows.map((row) => (
            <tr key={row.join("|")}>
              {row.map((value, i) => (
                <td key={table.head[i]} className="right">
                  {value}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
