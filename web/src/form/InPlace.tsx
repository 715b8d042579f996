import Button from "@mui/material/Button";
import { type ReactNode, useState } from "react";

interface InPlaceProps {
  verb: string;
  children: (close: () => void) => ReactNode;
}

/** A button that opens a form in its place. */
export function InPlace({ verb, children }: InPlaceProps) {
  const [open, setOpen] = useState(false);
  if (open) return children(() => setOpen(false));
  return (
    <Button sx={{ marginTop: 10 }} onClick={() => setOpen(true)}>
      {verb}
    </Button>
  );
}
