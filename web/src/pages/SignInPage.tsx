import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { type FormEvent, useState } from "react";
import { useSignIn } from "../api/queries";

export function SignInPage() {
  const signIn = useSignIn();
  const [username, setUsername] = useState("");
  const [password, setPassword] = useState("");
  const submit = (event: FormEvent) => {
    event.preventDefault();
    signIn.mutate({ username, password });
  };
  return (
    <div style={{ display: "grid", placeItems: "center", minHeight: "100%", padding: 16 }}>
      <form
        onSubmit={submit}
        className="sheet"
        style={{ width: 360, maxWidth: "100%", minHeight: 0, display: "grid", gap: 14 }}
      >
        <h1>Vigilant Ledger</h1>
        <p className="faded">
          Open the sign-in link that the start command printed, or sign in with your name.
        </p>
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
          <p role="alert" className="spent">
            {signIn.error.message}
          </p>
        )}
        <Button type="submit" disabled={!username || !password || signIn.isPending}>
          Sign in
        </Button>
      </form>
    </div>
  );
}
