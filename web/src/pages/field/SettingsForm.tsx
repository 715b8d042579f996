import { useFieldArray } from "react-hook-form";
import type { Schemas } from "../../api/client";
import { useFieldSettings, useSetField } from "../../api/field";
import { Failure, Loading } from "../../app/states";
import { amount, Chosen, FormDialog, required, text, useSheet, Written } from "../../form";
import { Box, Cell, Table, TableBody, TableHead, TableRow, Text, TextButton } from "../../kit";

type Settings = Schemas["FieldSettings"];

const listed = (words: string) =>
  words
    .split(",")
    .map((word) => word.trim())
    .filter(Boolean);
const gib = (written: string) => (written.trim() === "" ? null : Number(written));

interface Props {
  book: string;
  /** Late shares that may be asked for. */
  goals: readonly number[];
  close: () => void;
}

function Form({ book, goals, settings, close }: Props & { settings: Settings }) {
  const set = useSetField(book);
  const sheet = useSheet({
    values: {
      goal: String(settings.goal),
      rules: settings.rules.map((rule) => ({
        name: rule.name,
        models: (rule.models ?? []).join(", "),
        graphics: (rule.graphics ?? []).join(", "),
        from: rule.memory_from_gib?.toString() ?? "",
        below: rule.memory_below_gib?.toString() ?? "",
      })),
    },
    send: ({ goal, rules }) =>
      set.mutateAsync({
        goal: Number(goal) as Settings["goal"],
        version: settings.version,
        rules: rules.map((rule) => ({
          name: rule.name,
          models: listed(rule.models),
          graphics: listed(rule.graphics),
          memory_from_gib: gib(rule.from),
          memory_below_gib: gib(rule.below),
        })),
      }),
    sent: close,
  });
  const rules = useFieldArray({ control: sheet.control, name: "rules" });
  return (
    <FormDialog of={sheet} title="The goal, and classes of devices" verb="Set it" close={close} wide>
      <Chosen of={sheet} name="goal" label="No class may have more late frames than">
        {goals.map((goal) => (
          <option key={goal} value={goal}>
            {Number((100 * goal).toPrecision(2))} %
          </option>
        ))}
      </Chosen>
      <Text small tone="faded">
        The first rule that fits a device names its class; * stands for anything. One that none fits is of the
        class its program names, else other. Sessions stay in the class they began in.
      </Text>
      {rules.fields.length > 0 && (
        <Table aria-label="Rules of classes">
          <TableHead>
            <TableRow>
              <Cell>Class</Cell>
              <Cell>Models</Cell>
              <Cell>Graphics</Cell>
              <Cell>GiB from</Cell>
              <Cell>below</Cell>
              <Cell />
            </TableRow>
          </TableHead>
          <TableBody>
            {rules.fields.map((row, i) => (
              <TableRow key={row.id}>
                <Cell>
                  <Written
                    bare
                    of={sheet}
                    name={`rules.${i}.name`}
                    label={`Class of rule ${i + 1}`}
                    rules={{ ...required, ...text(100) }}
                  />
                </Cell>
                <Cell>
                  <Written bare of={sheet} name={`rules.${i}.models`} label={`Models of rule ${i + 1}`} />
                </Cell>
                <Cell>
                  <Written bare of={sheet} name={`rules.${i}.graphics`} label={`Graphics of rule ${i + 1}`} />
                </Cell>
                <Cell>
                  <Written
                    bare
                    of={sheet}
                    name={`rules.${i}.from`}
                    label={`Memory of rule ${i + 1} from, GiB`}
                    inputMode="decimal"
                    rules={amount({ least: 0, most: 100000 })}
                  />
                </Cell>
                <Cell>
                  <Written
                    bare
                    of={sheet}
                    name={`rules.${i}.below`}
                    label={`Memory of rule ${i + 1} below, GiB`}
                    inputMode="decimal"
                    rules={amount({ least: 0, most: 100000 })}
                  />
                </Cell>
                <Cell>
                  <TextButton small onClick={() => rules.remove(i)} aria-label={`Take rule ${i + 1} out`}>
                    out
                  </TextButton>
                </Cell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      )}
      <Box>
        <TextButton onClick={() => rules.append({ name: "", models: "", graphics: "", from: "", below: "" })}>
          Another rule
        </TextButton>
      </Box>
    </FormDialog>
  );
}

/** What the book asks of its field. */
export function SettingsForm({ book, goals, close }: Props) {
  const query = useFieldSettings(book);
  if (query.error && !query.data) return <Failure error={query.error} again={() => query.refetch()} />;
  if (!query.data) return <Loading what="the goal" />;
  return <Form book={book} goals={goals} settings={query.data} close={close} />;
}
