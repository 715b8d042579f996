import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { type FormEvent, useState } from "react";
import { useSignIn } from "../api/queries";
import { Box, colour, Text } from "../kit";

export function SignInPage() {
  const signIn = useSignIn();
  const [username, setUsername] = useState("");
  const [password, setPassword] = useState("");
  const submit = (event: FormEvent) => {
    event.preventDefault();
    signIn.mutate({ username, password });
  };
  return (
    <Box sx={{ display: "grid", placeItems: "center", minHeight: "100%", padding: 16 }}>
      <Box
        component="form"
        onSubmit={submit}
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
        <Text tone="faded">
          Open the sign-in link that the start command printed, or sign in with your name.
        </Text>
        <TextField
          label="Name"
          value={username}
          onChange={(e) => setUsername(e.target.value)}
          autoComplete="username"
        />
        <TextField
          label="Password"
          type="password"
          value={password}
          onChange={(e) => setPassword(e.target.value)}
          autoComplete="current-password"
        />
        {signIn.error && (
          <Text role="alert" tone="spent">
            {signIn.error.message}
          </Text>
        )}
        <Button type="submit" disabled={!username || !password || signIn.isPending}>
          Sign in
        </Button>
      </Box>
    </Box>
  );
}
