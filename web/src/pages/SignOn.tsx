import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import { useWays } from "../api/queries";

/** What came of the way to the account elsewhere, by what the server says in the address. */
const SAID: Record<string, string> = {
  joined: "The accounts are joined.",
  "provider-away": "The provider of accounts does not answer. Try it again in a moment.",
  "provider-wrong": "The provider of accounts is not what this server expects; tell who runs the server.",
  "token-refused": "What the provider said was not for this server, and nobody was signed in.",
  "name-taken":
    "Somebody signs in here by that name already. If that is you, sign in as before, and join the accounts on your own page.",
  "joined-elsewhere": "That account belongs to somebody else here.",
  "no-name": "The provider gave no name that can be taken here; tell who runs it.",
  "refused-there": "You were not let in there, or chose not to be.",
  refused: "Nobody was signed in. Try it again; if it stays so, tell who runs the server.",
  "not-here": "People sign in here by name or by link.",
};

/** A sentence where one came back from there. */
export function SignOnSaid() {
  const code = new URLSearchParams(window.location.search).get("sign-on");
  if (code === null) return null;
  return (
    <Alert severity={code === "joined" ? "info" : "warning"} role={code === "joined" ? "status" : "alert"}>
      {SAID[code] ?? SAID.refused}
    </Alert>
  );
}

/** Off to the account that the team has elsewhere, where it has one; `verb` says what for. */
export function SignOn({ verb }: { verb: string }) {
  const name = useWays().data?.sign_on;
  if (!name) return null;
  return (
    <Button href="/sign-on/">
      {verb} {name}
    </Button>
  );
}
