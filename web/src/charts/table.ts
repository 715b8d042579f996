/** What a chart shows as rows. */

export type ChartTable = { head: string[]; rows: (string | number | null)[][] };

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
export const asCsv = (table: ChartTable) =>
  [table.head, ...table.rows].map((row) => row.map(cell).join(",")).join("\n");
export const asText = (table: ChartTable) =>
  [table.head, ...table.rows].map((row) => row.map(plain).join("\t")).join("\n");
