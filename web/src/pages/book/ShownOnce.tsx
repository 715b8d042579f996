import { Copyable, Note, Text } from "../../kit";

/** A secret that is shown this once, to be copied. */
export function ShownOnce({ what, said }: { what: string; said: string }) {
  if (!what) return null;
  return (
    <Note role="status">
      <Text>{said}</Text>
      <Copyable what={what} />
    </Note>
  );
}
