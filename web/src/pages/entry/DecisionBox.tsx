import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import type { Entry, Schemas } from "../../api/client";
import { useDecide } from "../../api/queries";

type Choice = Schemas["DecisionInRequest"]["choice"];
const CHOICES: [Choice, string][] = [
  ["kept", "Keep"],
  ["dropped", "Drop"],
  ["more runs", "More runs"],
  ["record again", "Record again"],
];
const day = (stamp: string) =>
  new Date(stamp).toLocaleDateString("en-GB", { day: "numeric", month: "long", timeZone: "UTC" });

/** What was decided, by whom and why; a new decision is added, none is lost. */
export function DecisionBox({ book, entry }: { book: string; entry: Entry }) {
  const decide = useDecide(book, entry.number);
  const [open, setOpen] = useState(entry.decisions.length === 0);
  const [why, setWhy] = useState("");
  const choose = (choice: Choice) =>
    decide.mutate(
      { choice, why },
      {
        onSuccess: () => {
          setOpen(false);
          setWhy("");
        },
      },
    );
  return (
    <section>
      <h3 style={{ marginBottom: 6 }}>Decision</h3>
      {entry.decisions.map((d, i) => (
        <div className="decision" key={d.decided_at} style={{ marginBottom: 6, opacity: i ? 0.75 : 1 }}>
          <b>{d.choice.charAt(0).toUpperCase() + d.choice.slice(1)}</b> by {d.by}, {day(d.decided_at)}
          {d.why && <div className="faded">{d.why}</div>}
        </div>
      ))}
      {open ? (
        <div style={{ display: "grid", gap: 8 }}>
          <TextField
            label="Why, and what it costs elsewhere"
            value={why}
            onChange={(e) => setWhy(e.target.value)}
            multiline
          />
          <div style={{ display: "flex", gap: 6, flexWrap: "wrap" }}>
            {CHOICES.map(([choice, label]) => (
              <Button key={choice} disabled={decide.isPending} onClick={() => choose(choice)}>
                {label}
              </Button>
            ))}
          </div>
          {decide.error && (
            <p role="alert" className="spent">
              {decide.error.message}
            </p>
          )}
        </div>
      ) : (
        <button type="button" className="plain-button small faded" onClick={() => setOpen(true)}>
          decide again
        </button>
      )}
    </section>
  );
}
