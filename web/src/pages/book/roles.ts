import type { Schemas } from "../../api/client";

export const ROLES: [Schemas["Member"]["role"], string][] = [
  ["reader", "reader: reads everything"],
  ["editor", "editor: records, decides, corrects"],
  ["owner", "owner: also members, tokens, purging"],
];
