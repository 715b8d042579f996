import Button from "@mui/material/Button";
import type { ReactNode } from "react";
import { Link } from "react-router";
import { Problem } from "../api/client";
import { Note, PageTitle, Text } from "../kit";

export const Loading = ({ what }: { what: string }) => (
  <Text tone="faded" role="status" data-loading sx={{ padding: "12px 0" }}>
    Fetching {what} …
  </Text>
);

/** What happened, and what can be done. */
export const Failure = ({ error, again }: { error: Error; again?: () => void }) => {
  if (error instanceof Problem && error.status === 404) return <Nothing />;
  return (
    <Note role="alert">
      <h2>This could not be shown</h2>
      <p>{error.message}</p>
      <Text tone="faded">Nothing that is stored was changed.</Text>
      {again && <Button onClick={again}>Try again</Button>}
    </Note>
  );
};

/** An address that leads nowhere. */
const Nothing = () => (
  <Note role="alert">
    <PageTitle>There is nothing at this address</PageTitle>
    <p>What it names may be in another book, may not be open to you, or was never there.</p>
    <Link to="..">To the ledger</Link>
  </Note>
);

/** What the server said to something that was asked of it; nothing where it agreed. */
export const Refused = ({ error }: { error: Error | null }) =>
  error && (
    <Text role="alert" tone="spent">
      {error.message}
    </Text>
  );

/** An empty view teaches the next step. */
export const Empty = ({ title, children }: { title: string; children: ReactNode }) => (
  <Note>
    <h2>{title}</h2>
    {children}
  </Note>
);
