import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import { styled } from "@mui/material/styles";
import { useId, useState } from "react";
import { PartTitle, Text, TextButton } from "./text";

interface Props {
  label: string;
  /** What is asked before it is done, and what follows from it. */
  question: string;
  said?: string;
  /** The answer that does it. */
  yes: string;
  onYes: () => void;
  busy?: boolean;
  /** As a verb in the text rather than a button. */
  text?: boolean;
  "aria-label"?: string;
}

const Answers = styled("div")({ display: "flex", gap: 10, justifyContent: "flex-end", marginTop: 16 });

/** A verb that cannot be taken back: it asks once. */
export function Asks({ label, question, said, yes, onYes, busy, text, ...aria }: Props) {
  const [open, setOpen] = useState(false);
  const id = useId();
  const opener = { disabled: busy ?? false, onClick: () => setOpen(true), ...aria };
  return (
    <>
      {text ? (
        <TextButton small faded {...opener}>
          {label}
        </TextButton>
      ) : (
        <Button {...opener}>{label}</Button>
      )}
      <Dialog open={open} onClose={() => setOpen(false)} aria-labelledby={id} maxWidth="xs">
        <PartTitle id={id}>{question}</PartTitle>
        {said && (
          <Text tone="faded" sx={{ marginTop: 6 }}>
            {said}
          </Text>
        )}
        <Answers>
          <Button autoFocus onClick={() => setOpen(false)}>
            No
          </Button>
          <Button
            variant="contained"
            onClick={() => {
              setOpen(false);
              onYes();
            }}
          >
            {yes}
          </Button>
        </Answers>
      </Dialog>
    </>
  );
}
