import { type RefObject, useState } from "react";
import { asCsv, asText, type Table } from "./table";

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
