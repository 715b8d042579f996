import { useFieldArray } from "react-hook-form";
import { Word } from "../../figures/Word";
import { type Sheet, Ticked, Written } from "../../form";
import { Cell, Table, TableBody, TableHead, TableRow, Text, TextButton, Unseen, Wide } from "../../kit";
import { newSwitch, type PlanForm } from "./plan";

/** So many features make the most arms that there may be; so many changes are untangled. */
const [MOST, MOST_CHANGES] = [15, 8];

/** What of the subject can be switched off, each by what is added to its arguments. */
export function Switches({ of }: { of: Sheet<PlanForm> }) {
  const together = of.getValues("together") ?? false;
  const combined = of.getValues("combined");
  const what = together ? "load" : combined ? "change" : "feature";
  const What = what.replace(/^./, (c) => c.toUpperCase());
  const rows = useFieldArray({ control: of.control, name: "switches" });
  return (
    <section>
      <h2>
        {together ? (
          <Word of="mixture">Loads</Word>
        ) : combined ? (
          <Word of="untangled">Changes</Word>
        ) : (
          <Word of="switched">Switches</Word>
        )}
      </h2>
      <Wide aria-label="The switches">
        <Table aria-label="Switches">
          <TableHead>
            <TableRow>
              <Cell>{What}</Cell>
              <Cell sx={{ width: together ? "70%" : "35%" }}>
                {together
                  ? "Added while it is there"
                  : combined
                    ? "Added when it is on"
                    : "Added when it is off"}
              </Cell>
              {!together && (
                <Cell sx={{ width: "35%" }}>
                  {combined ? "Or added when it is off" : <Word of="cure">Added for a cure</Word>}
                </Cell>
              )}
              {combined && !together && <Cell>Claims less work</Cell>}
              <Cell>
                <Unseen>what can be done</Unseen>
              </Cell>
            </TableRow>
          </TableHead>
          <TableBody>
            {rows.fields.map((field, i) => (
              <TableRow key={field.id}>
                <Cell>
                  <Written bare of={of} name={`switches.${i}.name`} label={`${What} ${i + 1}`} size={16} />
                </Cell>
                <Cell>
                  <Written
                    bare
                    of={of}
                    name={combined ? `switches.${i}.on` : `switches.${i}.off`}
                    label={`Added when ${what} ${i + 1} is ${together ? "there" : combined ? "on" : "off"}`}
                    placeholder={
                      i > 0
                        ? ""
                        : together
                          ? "--with boats"
                          : combined
                            ? "--neighbours cells"
                            : "--without ripples"
                    }
                    sx={{ width: "100%" }}
                  />
                </Cell>
                {!together && (
                  <Cell>
                    <Written
                      bare
                      of={of}
                      name={combined ? `switches.${i}.off` : `switches.${i}.cure`}
                      label={
                        combined
                          ? `Added when change ${i + 1} is off`
                          : `Added for a cure of feature ${i + 1}`
                      }
                      placeholder={combined ? "nothing" : "none"}
                      sx={{ width: "100%" }}
                    />
                  </Cell>
                )}
                {combined && !together && (
                  <Cell>
                    <Ticked
                      of={of}
                      name={`switches.${i}.less`}
                      label={<Unseen>Change {i + 1} claims less work</Unseen>}
                    />
                  </Cell>
                )}
                <Cell>
                  {rows.fields.length > (combined ? 2 : 1) && (
                    <TextButton
                      small
                      onClick={() => rows.remove(i)}
                      aria-label={`Leave out ${what} ${i + 1}`}
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
        {rows.fields.length < (combined ? MOST_CHANGES : MOST) && (
          <TextButton onClick={() => rows.append(newSwitch())}>
            {combined ? `another ${what}` : "another switch"}
          </TextButton>
        )}
        <Text as="span" tone="faded">
          Each pass plays every arm once, in an order drawn anew:{" "}
          {together
            ? "nothing of them, each by itself, and all at once."
            : combined
              ? "all combinations up to four changes, further ones in sixteen of theirs."
              : "everything on, each feature off alone, each cure, and everything off."}
        </Text>
      </Text>
    </section>
  );
}
