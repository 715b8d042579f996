import Button from "@mui/material/Button";
import type { ReactNode } from "react";

export const Loading = ({ what }: { what: string }) => (
  <p className="loading" role="status">
    Fetching {what} …
  </p>
);

/** What happened, and what can be done. */
export const Failure = ({ error, again }: { error: Error; again?: () => void }) => (
  <div className="note" role="alert">
    <h3>This could not be shown</h3>
    <p>{error.message}</p>
    <p className="faded">Nothing that is stored was changed.</p>
    {again && <Button onClick={again}>Try again</Button>}
  </div>
);

/** An empty view teaches the next step. */
export const Empty = ({ title, children }: { title: string; children: ReactNode }) => (
  <div className="note">
    <h3>{title}</h3>
    {children}
  </div>
);
