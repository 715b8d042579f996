import type { Schemas } from "../../api/client";

const ROLES: Record<Schemas["Member"]["role"], string> = {
  reader: "reads everything",
  editor: "records, decides, corrects",
  owner: "also members, tokens, purging",
};

export const ROLE_NAMES = Object.keys(ROLES).map((role) => <option key={role}>{role}</option>);

/** The same with what each may. */
export const ROLES_SAID = Object.entries(ROLES).map(([role, what]) => (
  <option key={role} value={role}>
    {role}: {what}
  </option>
));
