import Button from "@mui/material/Button";
import { type FormEvent, useState } from "react";
import { useClaim } from "../../api/queries";
import { Refused } from "../../app/states";
import { Box, InlineForm, TextInput } from "../../kit";

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
    <Box component="section" sx={{ marginTop: 16 }}>
      <h2>Hold a claim against these runs</h2>
      <InlineForm onSubmit={submit} sx={{ marginTop: 6 }}>
        <TextInput
          sx={{ width: 320 }}
          required
          maxLength={200}
          aria-label="What is claimed"
          placeholder="a fifth faster; 2.2x; 40 % fewer stutters"
          value={typed}
          onChange={(e) => setTyped(e.target.value)}
        />
        <Button type="submit">Check it</Button>
      </InlineForm>
      <Refused error={answer.error} />
      {answer.data && said && (
        <Box component="p" role="status" sx={{ marginTop: 6 }}>
          <b>
            “{said}” {answer.data.state === "not understood" ? "is not understood" : answer.data.state}.
          </b>{" "}
          {answer.data.sentence}
        </Box>
      )}
    </Box>
  );
}
