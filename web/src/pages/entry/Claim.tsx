import Button from "@mui/material/Button";
import { type FormEvent, useState } from "react";
import { useClaim } from "../../api/queries";

/** A spoken sentence held against the runs. */
export function Claim({ book, entry }: { book: string; entry: number }) {
  const [typed, setTyped] = useState("");
  const [said, setSaid] = useState("");
  const answer = useClaim(book, entry, said);
  const submit = (event: FormEvent) => {
    event.preventDefault();
    setSaid(typed.trim());
  };
  return (
    <section style={{ marginTop: 16 }}>
      <h3>Hold a claim against these runs</h3>
      <form onSubmit={submit} className="inline-form" style={{ marginTop: 6 }}>
        <input
          className="find-field"
          style={{ width: 320 }}
          required
          maxLength={200}
          aria-label="What is claimed"
          placeholder="a fifth faster; 2.2x; 40 % fewer stutters"
          value={typed}
          onChange={(e) => setTyped(e.target.value)}
        />
        <Button type="submit">Check it</Button>
      </form>
      {answer.error && (
        <p role="alert" className="spent">
          {answer.error.message}
        </p>
      )}
      {answer.data && said && (
        <p role="status" style={{ marginTop: 6 }}>
          <b>
            “{said}” {answer.data.state === "not understood" ? "is not understood" : answer.data.state}.
          </b>{" "}
          {answer.data.sentence}
        </p>
      )}
    </section>
  );
}
