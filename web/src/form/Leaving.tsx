import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import { type BlockerFunction, useBlocker } from "react-router";
import { Box, PartTitle, Text } from "../kit";
import { unsentForms } from "./drafts";

/** Where something is written and not sent: is it to be kept? */
export function Question({
  open,
  stay,
  keep,
  drop,
}: {
  open: boolean;
  stay: () => void;
  keep: () => void;
  drop: () => void;
}) {
  return (
    <Dialog open={open} onClose={stay} aria-labelledby="unsent" maxWidth="xs">
      <PartTitle id="unsent">Something here is not sent</PartTitle>
      <Text tone="faded" sx={{ margin: "6px 0 14px" }}>
        As a draft it stays in this browser and stands here when you come back.
      </Text>
      <Box sx={{ display: "flex", gap: 8, justifyContent: "flex-end", flexWrap: "wrap" }}>
        <Button onClick={drop}>Throw it away</Button>
        <Button onClick={keep}>Keep the draft</Button>
        <Button variant="contained" onClick={stay}>
          Stay here
        </Button>
      </Box>
    </Dialog>
  );
}

const away: BlockerFunction = ({ currentLocation, nextLocation }) =>
  unsentForms().length > 0 && currentLocation.pathname !== nextLocation.pathname;

/** Asks before a page is left whose forms hold something. */
export function Leaving() {
  const blocker = useBlocker(away);
  const drop = () => {
    for (const form of unsentForms()) form.drop();
    blocker.proceed?.();
  };
  return (
    <Question
      open={blocker.state === "blocked"}
      stay={() => blocker.reset?.()}
      keep={() => blocker.proceed?.()}
      drop={drop}
    />
  );
}
