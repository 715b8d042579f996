import { type RefObject, useState } from "react";
import { Cell, Table, TableBody, TableFrame, TableHead, TableRow, TextButton, Tools } from "../kit";
import { asCsv, asText, type ChartTable } from "./table";

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
  table: () => ChartTable;
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
  const button = (label: string, act: () => void) => <TextButton onClick={act}>{label}</TextButton>;
  return (
    <Tools>
      <span role="status">{done}</span>
      {button(shown ? "hide table" : "table", toggle)}
      {button("copy text", () => copy("text", asText(table())))}
      {button("copy CSV", () => copy("CSV", asCsv(table())))}
      {svg &&
        button("copy SVG", () => {
          const drawing = svg.current?.querySelector("svg");
          if (drawing) copy("SVG", asSvg(drawing));
        })}
    </Tools>
  );
}

export function TableBehind({ table }: { table: ChartTable }) {
  return (
    <TableFrame aria-label="The table of what is drawn">
      <Table aria-label="What is drawn">
        <TableHead>
          <TableRow>
            {table.head.map((name) => (
              <Cell key={name} align="right">
                {name}
              </Cell>
            ))}
          </TableRow>
        </TableHead>
        <TableBody>
          {table.rows.map((row) => (
            <TableRow key={row.join("|")}>
              {row.map((value, i) => (
                <Cell key={table.head[i]} align="right">
                  {value}
                </Cell>
              ))}
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </TableFrame>
  );
}
