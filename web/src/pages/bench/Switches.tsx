import { useFieldArray } from "react-hook-form";
import { Word } from "../../figures/Word";
import { type Sheet, Written } from "../../form";
import { Cell, Table, TableBody, TableHead, TableRow, Text, TextButton, Unseen, Wide } from "../../kit";
import { newSwitch, type PlanForm } from "./plan";

/** So many arms are everything on, switches and cures, and everything off. */
const MOST = 10;

/** What of the subject can be switched off, each by what is added to its arguments. */
export function Switches({ of }: { of: Sheet<PlanForm> }) {
  const rows = useFieldArray({ control: of.control, name: "switches" });
  return (
    <section>
      <h2>
        <Word of="switched">Switches</Word>
      </h2>
      <Wide aria-label="The switches">
        <Table aria-label="Switches">
          <TableHead>
            <TableRow>
              <Cell>Feature</Cell>
              <Cell sx={{ width: "35%" }}>Added when it is off</Cell>
              <Cell sx={{ width: "35%" }}>
                <Word of="cure">Added for a cure</Word>
              </Cell>
              <Cell>
                <Unseen>what can be done</Unseen>
              </Cell>
            </TableRow>
          </TableHead>
          <TableBody>
            {rows.fields.map((field, i) => (
              <TableRow key={field.id}>
                <Cell>
                  <Written bare of={of} name={`switches.${i}.name`} label={`Feature ${i + 1}`} size={16} />
                </Cell>
                <Cell>
                  <Written
                    bare
                    of={of}
                    name={`switches.${i}.off`}
                    label={`Added when feature ${i + 1} is off`}
                    placeholder={i === 0 ? "--without ripples" : ""}
                    sx={{ width: "100%" }}
                  />
                </Cell>
                <Cell>
                  <Written
                    bare
                    of={of}
                    name={`switches.${i}.cure`}
                    label={`Added for a cure of feature ${i + 1}`}
                    placeholder="none"
                    sx={{ width: "100%" }}
                  />
                </Cell>
                <Cell>
                  {rows.fields.length > 1 && (
                    <TextButton
                      small
                      onClick={() => rows.remove(i)}
                      aria-label={`Leave out feature ${i + 1}`}
                    >
                      leave out
                    </TextButton>
                  )}
                </Cell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </Wide>
      <Text small sx={{ display: "flex", flexWrap: "wrap", gap: "2px 16px", marginTop: 6 }}>
        {rows.fields.length < MOST && (
          <TextButton onClick={() => rows.append(newSwitch())}>another switch</TextButton>
        )}
        <Text as="span" tone="faded">
          Each pass plays every arm once, in an order drawn anew: everything on, each feature off alone, each
          cure, and everything off.
        </Text>
      </Text>
    </section>
  );
}
