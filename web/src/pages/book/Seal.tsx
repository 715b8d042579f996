import Button from "@mui/material/Button";
import { useCheckSeal, useSeal, useSigningKey } from "../../api/statements";
import { moment } from "../../app/days";
import { Failure, Loading, Refused } from "../../app/states";
import { Line, Text } from "../../kit";

/** The chain of hashes over what was written in the ledger, and whether all of it is as it was sealed. */
export function Seal({ book }: { book: string }) {
  const seal = useSeal(book);
  const key = useSigningKey();
  const check = useCheckSeal(book);
  if (seal.error && !seal.data) return <Failure error={seal.error} again={() => seal.refetch()} />;
  if (seal.isPending) return <Loading what="the seal" />;
  const { length, head, checked_at, checked_length, faults, job } = seal.data;
  const going = job !== null || check.isPending;
  return (
    <section aria-label="Seal">
      <h2>Seal</h2>
      <Text tone="faded" size={13}>
        Entries, decisions, corrections, goals and runs set aside are sealed as they are written: each link of
        the chain holds the one before it, and what is altered later is found and named.
      </Text>
      <Line sx={{ marginTop: 6, gap: 14 }}>
        <span>
          {length === 1 ? "1 link" : `${length.toLocaleString("en")} links`}
          {head && (
            <>
              , the newest{" "}
              <Text as="span" nowrap>
                {head.slice(0, 16)}…
              </Text>
            </>
          )}
        </span>
        <Button size="small" disabled={going} onClick={() => check.mutate()}>
          {going ? "Being checked" : "Check it"}
        </Button>
      </Line>
      <div role="status">
        {checked_at && (
          <Text tone={faults.length ? "spent" : "faded"} size={13}>
            Checked {moment(checked_at)}, when it had {checked_length.toLocaleString("en")} links:{" "}
            {faults.length ? "not all is as it was sealed." : "all is as it was sealed."}
          </Text>
        )}
        {faults.length > 0 && (
          <ul>
            {faults.map((fault) => (
              <li key={fault}>{fault}</li>
            ))}
          </ul>
        )}
      </div>
      <Refused error={check.error} />
      {key.data && (
        <Text tone="faded" size={13} sx={{ marginTop: 6 }}>
          Evidence bundles of this server are signed by the key{" "}
          <Text as="span" nowrap>
            {key.data.fingerprint}
          </Text>
          . Give it to whoever verifies them, by another way than the bundle.
        </Text>
      )}
    </section>
  );
}
