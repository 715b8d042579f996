import { type Size, useWriteIdea } from "../../api/backlog";
import type { Schemas } from "../../api/client";
import { useScenarios } from "../../api/queries";
import { Chosen, FormDialog, required, text, useSheet, Written } from "../../form";
import { Text } from "../../kit";

const SIZES: readonly Size[] = ["small", "middle", "large"];

interface Props {
  book: string;
  /** Of parts of an entry's arm: what they could give is computed when it is written. */
  of?: {
    entry: number;
    arm: "before" | "after";
    parts: Schemas["CheaperInRequest"][];
    title: string;
    said: string;
  };
  close: () => void;
}

/** An idea for the backlog. */
export function IdeaForm({ book, of, close }: Props) {
  const write = useWriteIdea(book);
  const scenarios = useScenarios(book).data ?? [];
  const first = scenarios[0];
  const sheet = useSheet({
    values: { title: of?.title ?? "", scenario: "", effort: "middle", risk: "small", why: "" },
    send: ({ title, scenario, effort, risk, why }) =>
      write.mutateAsync({
        title,
        effort: effort as Size,
        risk: risk as Size,
        why,
        ...(of
          ? { entry: of.entry, arm: of.arm, parts: of.parts }
          : { scenario: Number(scenario || first?.id) }),
      }),
    sent: close,
  });
  return (
    <FormDialog of={sheet} title="An idea for the backlog" verb="Write it down" close={close}>
      {of && <Text tone="faded">{of.said}</Text>}
      <Written of={sheet} name="title" label="Idea" rules={{ ...required, ...text(200) }} />
      {!of && (
        <Chosen of={sheet} name="scenario" label="Scenario">
          {scenarios.map((scenario) => (
            <option key={scenario.id} value={scenario.id}>
              {scenario.name}
            </option>
          ))}
        </Chosen>
      )}
      <Chosen of={sheet} name="effort" label="Effort">
        {SIZES.map((size) => (
          <option key={size} value={size}>
            {size}
          </option>
        ))}
      </Chosen>
      <Chosen of={sheet} name="risk" label="Risk">
        {SIZES.map((size) => (
          <option key={size} value={size}>
            {size}
          </option>
        ))}
      </Chosen>
      <Written of={sheet} name="why" label="Why" lines={2} rules={text(4000)} />
    </FormDialog>
  );
}
