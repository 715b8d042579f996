import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import { useState } from "react";
import { Problem } from "../api/client";
import { useSignIn } from "../api/queries";
import { useSessionEnded } from "../app/session";
import { required, Said, Secret, useSheet, Written } from "../form";
import { Box, colour, PartTitle, Text } from "../kit";
import { SignOn, SignOnSaid } from "./SignOn";

function SignInForm() {
  const signIn = useSignIn();
  const [asksCode, setAsksCode] = useState(false);
  const sheet = useSheet({
    values: { username: "", password: "", code: "" },
    send: async (typed) => {
      try {
        return await signIn.mutateAsync(typed);
      } catch (error) {
        if (error instanceof Problem && error.code === "code-wanted") setAsksCode(true);
        throw error;
      }
    },
  });
  return (
    <Box component="form" noValidate onSubmit={sheet.submit} sx={{ display: "grid", gap: 14 }}>
      <Written of={sheet} name="username" label="Name" autoComplete="username" rules={required} />
      <Secret of={sheet} name="password" label="Password" autoComplete="current-password" rules={required} />
      {asksCode && (
        <Written
          autoFocus
          of={sheet}
          name="code"
          label="Code of the second factor"
          autoComplete="one-time-code"
          rules={required}
        />
      )}
      <Said of={sheet} />
      <Button type="submit" disabled={sheet.sending}>
        Sign in
      </Button>
    </Box>
  );
}

export const SignInPage = () => (
  <Box component="main" sx={{ display: "grid", placeItems: "center", minHeight: "100%", padding: 16 }}>
    <Box
      sx={{
        width: 360,
        maxWidth: "100%",
        display: "grid",
        gap: 14,
        background: colour.sheet,
        border: `1px solid ${colour.rule}`,
        padding: "18px 20px",
      }}
    >
      <h1>Vigilant Ledger</h1>
      <SignOnSaid />
      <SignOn verb="Sign in with" />
      <Text tone="faded">
        Open the sign-in link that the start command printed, or sign in with your name.
      </Text>
      <SignInForm />
    </Box>
  </Box>
);

/** A session that ends while a page is open takes nothing away: one signs in over it and goes on. */
export const SignInOver = () => (
  <Dialog open={useSessionEnded()} aria-labelledby="signed-out" maxWidth="xs" fullWidth>
    <PartTitle id="signed-out">You are signed out</PartTitle>
    <Text tone="faded" sx={{ margin: "6px 0 14px" }}>
      The session has ended. What is on this page stays; sign in and go on. With a sign-in link, open it in
      another window and come back.
    </Text>
    <SignInForm />
  </Dialog>
);
