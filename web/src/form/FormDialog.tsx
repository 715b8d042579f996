import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import { type ReactNode, useId, useState } from "react";
import type { FieldValues } from "react-hook-form";
import { Box, PartTitle } from "../kit";
import { Said } from "./fields";
import { Question } from "./Leaving";
import type { Sheet } from "./useSheet";

interface Props<V extends FieldValues> {
  of: Sheet<V>;
  title: string;
  /** What sending it does. */
  verb: string;
  close: () => void;
  /** Has it a draft? Then leaving asks. */
  kept?: boolean;
  wide?: boolean;
  /** Not now: something else comes first. */
  barred?: boolean;
  children: ReactNode;
}

/** A form over the page. */
export function FormDialog<V extends FieldValues>({
  of,
  title,
  verb,
  close,
  kept,
  wide,
  barred,
  children,
}: Props<V>) {
  const id = useId();
  const [asks, setAsks] = useState(false);
  const leave = () => (kept && of.unsent ? setAsks(true) : close());
  return (
    <Dialog open onClose={leave} aria-labelledby={id} fullWidth maxWidth={wide ? "sm" : "xs"}>
      <Box component="form" noValidate onSubmit={of.submit} sx={{ display: "grid", gap: 14 }}>
        <PartTitle id={id}>{title}</PartTitle>
        {children}
        <Said of={of} />
        <Box sx={{ display: "flex", gap: 10, justifyContent: "flex-end", alignItems: "center" }}>
          <Button onClick={leave}>Leave</Button>
          <Button type="submit" variant="contained" disabled={of.sending || barred === true}>
            {verb}
          </Button>
        </Box>
      </Box>
      <Question
        open={asks}
        stay={() => setAsks(false)}
        keep={close}
        drop={() => {
          of.anew();
          close();
        }}
      />
    </Dialog>
  );
}
