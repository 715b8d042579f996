import Button from "@mui/material/Button";
import type { FieldValues } from "react-hook-form";
import { Line } from "../kit";
import { Said } from "./fields";
import type { Sheet } from "./useSheet";

interface Props<V extends FieldValues> {
  of: Sheet<V>;
  /** What sending it does. */
  verb: string;
  /** Where the form can be put away. */
  leave?: () => void;
}

/** The foot of a form on a page: what was said of it, and what can be done with it. */
export const Sending = <V extends FieldValues>({ of, verb, leave }: Props<V>) => (
  <>
    <Said of={of} />
    <Line>
      <Button type="submit" variant="contained" disabled={of.sending}>
        {verb}
      </Button>
      {leave && <Button onClick={leave}>Leave</Button>}
    </Line>
  </>
);
