import Button from "@mui/material/Button";
import { useState } from "react";
import { Link } from "react-router";
import { useHandOver, useHandOvers } from "../../api/statements";
import { day } from "../../app/days";
import { useMay } from "../../app/role";
import { Failure } from "../../app/states";
import { FormDialog, required, text, useSheet, Written } from "../../form";
import { RuledList, Text } from "../../kit";

interface Props {
  book: string;
  number: number;
}

/** What specialists of other trades were asked about the entry. */
export function HandOvers({ book, number }: Props) {
  const found = useHandOvers(book, number);
  const [open, setOpen] = useState(false);
  const may = useMay();
  if (found.error && !found.data) return <Failure error={found.error} again={() => found.refetch()} />;
  const forms = found.data ?? [];
  if (forms.length === 0 && !may.write) return null;
  return (
    <section>
      <h2>Handed over</h2>
      <Text small tone="faded" sx={{ marginTop: 4 }}>
        To a specialist of another trade: what was found, what is asked, what has been ruled out.
      </Text>
      <RuledList>
        {forms.map((form) => (
          <li key={form.id}>
            <Link to={`/${book}/statement?hand_over=${form.id}`}>to {form.to}</Link>{" "}
            <Text as="span" tone="faded">
              {day(form.made_at)}
            </Text>
          </li>
        ))}
      </RuledList>
      {may.write && (
        <Button sx={{ marginTop: 8 }} onClick={() => setOpen(true)}>
          Hand it over
        </Button>
      )}
      {open && <Handing book={book} number={number} close={() => setOpen(false)} />}
    </section>
  );
}

/** The form for a specialist; what is asked may be filled in already. */
export function Handing({ book, number, asked = "", close }: Props & { asked?: string; close: () => void }) {
  const make = useHandOver(book, number);
  const sheet = useSheet({
    values: { to: "", asked, ruled_out: "" },
    send: make.mutateAsync,
    sent: close,
    draft: `${book} hand-over of ${number} ${asked}`,
  });
  return (
    <FormDialog of={sheet} title={`Hand entry ${number} over`} verb="Hand it over" close={close} kept wide>
      <Text tone="faded" size={13}>
        The sentence, the figures and the evidence of the entry stand on the form as they are.
      </Text>
      <Written
        autoFocus
        of={sheet}
        name="to"
        label="To"
        hint="a trade, not a person: rendering, physics, art"
        rules={{ ...required, ...text(80) }}
      />
      <Written
        of={sheet}
        name="asked"
        label="What is asked"
        lines={3}
        rules={{ ...required, ...text(4000) }}
      />
      <Written of={sheet} name="ruled_out" label="What has been ruled out" lines={3} rules={text(4000)} />
    </FormDialog>
  );
}
