import Button from "@mui/material/Button";
import { Component, type ReactNode } from "react";
import { Note, Text } from "../kit";

const AGAIN = "vigilant-loaded-again";

/** A page whose code did not come: after an upgrade its pieces have other names. */
const isMissing = (error: Error) => /dynamically imported module|module script/i.test(error.message);

interface State {
  error: Error | null;
}

/** A fault of one page leaves the others and the shell as they are. A piece of code that did not come is fetched
 * once more by loading the page anew. */
export class Boundary extends Component<{ at: string; children: ReactNode }, State> {
  override state: State = { error: null };

  static getDerivedStateFromError(error: Error): State {
    return { error };
  }

  override componentDidCatch(error: Error) {
    if (!isMissing(error) || sessionStorage.getItem(AGAIN) === this.props.at) return;
    sessionStorage.setItem(AGAIN, this.props.at);
    window.location.reload();
  }

  override componentDidUpdate(before: { at: string }) {
    if (before.at === this.props.at) return;
    sessionStorage.removeItem(AGAIN);
    if (this.state.error) this.setState({ error: null });
  }

  override render() {
    const { error } = this.state;
    if (!error) return this.props.children;
    return (
      <Note role="alert">
        <h2>{isMissing(error) ? "This page could not be fetched" : "This page has a fault"}</h2>
        <p>{error.message}</p>
        <Text tone="faded">Nothing that is stored was changed; the other pages are as they were.</Text>
        <Button onClick={() => window.location.reload()}>Load it anew</Button>
      </Note>
    );
  }
}
