import { useState } from "react";
import { Command, Note, Text, TextButton } from "../../kit";

/** A secret that is shown this once, to be copied. */
export function ShownOnce({ what, said }: { what: string; said: string }) {
  const [copied, setCopied] = useState("");
  if (!what) return null;
  const copy = async () => {
    try {
      await navigator.clipboard.writeText(what);
      setCopied(what);
    } catch {
      setCopied(""); // it stands there to be copied by hand
    }
  };
  return (
    <Note role="status">
      <Text>{said}</Text>
      <Command sx={{ overflowWrap: "anywhere" }}>{what}</Command>
      <TextButton small onClick={copy}>
        {copied === what ? "copied" : "copy it"}
      </TextButton>
    </Note>
  );
}
