import Button from "@mui/material/Button";
import type { ReactNode } from "react";
import { Note, Text } from "../kit";

export const Loading = ({ what }: { what: string }) => (
  <Text tone="faded" role="status" data-loading sx={{ padding: "12px 0" }}>
    Fetching {what} …
  </Text>
);

/** What happened, and what can be done. */
export const Failure = ({ error, again }: { error: Error; again?: () => void }) => (
  <Note role="alert">
    <h2>This could not be shown</h2>
    <p>{error.message}</p>
    <Text tone="faded">Nothing that is stored was changed.</Text>
    {again && <Button onClick={again}>Try again</Button>}
  </Note>
);

/** An empty view teaches the next step. */
export const Empty = ({ title, children }: { title: string; children: ReactNode }) => (
  <Note>
    <h3>{title}</h3>
    {children}
  </Note>
);
