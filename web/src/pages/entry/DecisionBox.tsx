import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import type { Entry, Schemas } from "../../api/client";
import { useDecide } from "../../api/queries";
import { day } from "../../app/days";

type Mark = NonNullable<Schemas["DecisionInRequest"]["expectation"]>;
type Choice = Schemas["DecisionInRequest"]["choice"];
const CHOICES: [Choice, string][] = [
  ["kept", "Keep"],
  ["dropped", "Drop"],
  ["more runs", "More runs"],
  ["record again", "Record again"],
];
/** What was decided, by whom and why; a new decision is added, none is lost. */
export function DecisionBox({ book, entry }: { book: string; entry: Entry }) {
  const decide = useDecide(book, entry.number);
  const [open, setOpen] = useState(entry.decisions.length === 0);
  const [why, setWhy] = useState("");
  const [mark, setMark] = useState<Mark>(entry.held.expectation);
  const choose = (choice: Choice) =>
    decide.mutate(
      { choice, why, expectation: entry.expected ? mark : "" },
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
          {d.expectation && <div>The expectation: {d.expectation}</div>}
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
          {entry.expected && (
            <label className="small">
              The expectation was{" "}
              <select
                className="find-field"
                aria-label="The expectation was"
                value={mark}
                onChange={(e) => setMark(e.target.value as Mark)}
              >
                <option value="">not marked</option>
                <option value="supported">supported</option>
                <option value="exceeded">exceeded</option>
                <option value="not supported">not supported</option>
                <option value="undecided">undecided</option>
              </select>
              {entry.held.sentence && (
                <span className="faded" style={{ display: "block", marginTop: 4 }}>
                  Over the whole course, the runs say {entry.held.expectation}. {entry.held.sentence}
                </span>
              )}
            </label>
          )}
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
