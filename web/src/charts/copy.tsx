import { type RefObject, useState } from "react";
import { Cell, Table, TableBody, TableFrame, TableHead, TableRow, TextButton, Tools } from "../kit";
import { asPng, asSvg } from "./drawn";
import { asCsv, asText, type ChartTable } from "./table";

interface Props {
  table: () => ChartTable;
  drawing?: RefObject<HTMLElement | null>;
  /** The table behind a drawing; what is a table already has none. */
  shown?: boolean;
  toggle?: () => void;
  /** Drawn in dots: there is no SVG of it. */
  onCanvas?: boolean;
}

/** Behind every chart: its table, and copies as text, CSV, SVG (where it is drawn so) and PNG. */
export function ChartTools({ table, drawing, shown, toggle, onCanvas }: Props) {
  const [done, setDone] = useState("");
  const copy = async (what: string, copied: () => Promise<void>) => {
    try {
      await copied();
      setDone(`${what} copied`);
    } catch {
      setDone("the browser refused to copy");
    }
  };
  const button = (label: string, act: () => void) => <TextButton onClick={act}>{label}</TextButton>;
  const text = (what: string, said: () => string) =>
    button(`copy ${what}`, () => copy(what, () => navigator.clipboard.writeText(said())));
  const host = () => {
    if (!drawing?.current) throw new Error("nothing is drawn");
    return drawing.current;
  };
  const vector = (): SVGSVGElement => {
    const svg = host().querySelector("svg");
    if (!svg) throw new Error("nothing is drawn");
    return svg;
  };
  return (
    <Tools>
      <span role="status">{done}</span>
      {toggle && button(shown ? "hide table" : "table", toggle)}
      {text("text", () => asText(table()))}
      {text("CSV", () => asCsv(table()))}
      {drawing && !onCanvas && text("SVG", () => asSvg(vector()))}
      {drawing &&
        button("copy PNG", () =>
          copy("PNG", () => navigator.clipboard.write([new ClipboardItem({ "image/png": asPng(host()) })])),
        )}
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
