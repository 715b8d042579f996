import { useState } from "react";
import { Command } from "./layout";
import { TextButton } from "./text";

/** Something to be taken elsewhere: it stands there, and is copied where the browser lets one. */
export function Copyable({ what }: { what: string }) {
  const [copied, setCopied] = useState("");
  const copy = async () => {
    try {
      await navigator.clipboard.writeText(what);
      setCopied(what);
    } catch {
      setCopied(""); // it stands there to be copied by hand
    }
  };
  return (
    <>
      <Command sx={{ overflowWrap: "anywhere" }}>{what}</Command>{" "}
      <TextButton small onClick={copy}>
        {copied === what ? "copied" : "copy it"}
      </TextButton>
    </>
  );
}
