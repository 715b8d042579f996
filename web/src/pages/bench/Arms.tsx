import { useFieldArray } from "react-hook-form";
import type { Schemas } from "../../api/client";
import { Word } from "../../figures/Word";
import { address, required, type Sheet, Ticked, Written } from "../../form";
import { Cell, Table, TableBody, TableHead, TableRow, Text, TextButton, Unseen, Wide } from "../../kit";
import { newArm, type PlanForm, VISITOR } from "./plan";

type Subject = Schemas["Subject"];

interface Props {
  of: Sheet<PlanForm>;
  /** One build as both arms. */
  blank: boolean;
  subjects: readonly Subject[];
  /** The recorder it is asked of: what that one offers comes first. */
  where: string;
}

/** What each arm is called by its place: the first is what all others are held against. */
function labelOf(
  place: number,
  empty: boolean,
  blank: boolean,
  switched: boolean,
  combined: boolean,
  swept: boolean,
  alone: boolean,
  ofLine: boolean,
): string {
  if (ofLine) return "the build";
  if (empty) return "empty";
  if (swept && alone) return "every value";
  if (swept) return place === 0 ? "before" : "after";
  if (switched) return combined ? "none on" : "all on";
  if (blank) return "both arms";
  return place === 0 ? "before" : place === 1 ? "after" : `after ${place}`;
}

/** The arms of a plan: builds, the programs that play them, and their arguments as they were last used. */
export function Arms({ of, blank, subjects, where }: Props) {
  const arms = useFieldArray({ control: of.control, name: "arms" });
  const now = of.watch("arms");
  const played = now.filter((arm) => !arm.empty);
  const here = subjects.filter((s) => s.offered_by.includes(where));
  const offered = here.length > 0 ? here : subjects;
  const visited = where === VISITOR;
  const swept = of.getValues("sweep") !== null;
  const ofLine = of.getValues("ofLine") === true;
  const switched = now.length > 0 && (swept || of.watch("switches").length > 0);
  const another = () => {
    // Two arms of a sweep are told apart by their names.
    if (swept) of.setValue("arms.0.name", "before");
    arms.insert(played.length, newArm(swept ? "after" : `after ${played.length}`));
    // Looks are for two arms.
    if (of.getValues("untilDecided")) {
      of.setValue("untilDecided", false);
      of.setValue("runs", "5");
    }
  };
  return (
    <section>
      <h2>{ofLine ? "The build" : <Word of="arm">Arms</Word>}</h2>
      <datalist id="subjects">
        {offered.map((s) => (
          <option key={s.name} value={s.name} />
        ))}
      </datalist>
      {subjects.map((s) => (
        <datalist key={s.name} id={`used by ${s.name}`}>
          {s.used.map((used) => (
            <option key={used} value={used} />
          ))}
        </datalist>
      ))}
      <Wide aria-label="The arms">
        <Table aria-label="Arms">
          <TableHead>
            <TableRow>
              <Cell>{!ofLine && "Arm"}</Cell>
              <Cell>Build</Cell>
              {visited ? (
                <Cell sx={{ width: "60%" }}>Page</Cell>
              ) : (
                <>
                  <Cell>Subject</Cell>
                  <Cell sx={{ width: "45%" }}>Arguments</Cell>
                </>
              )}
              <Cell>Observers</Cell>
              {!visited && <Cell>Tap</Cell>}
              <Cell>
                <Unseen>what can be done</Unseen>
              </Cell>
            </TableRow>
          </TableHead>
          <TableBody>
            {arms.fields.map((field, i) => {
              const label = labelOf(
                i,
                field.empty,
                blank,
                switched,
                of.getValues("combined"),
                swept,
                played.length === 1,
                ofLine,
              );
              const subject = now[i]?.subject ?? "";
              const last = subjects.find((s) => s.name === subject)?.used[0];
              return (
                <TableRow key={field.id}>
                  <Cell tone={field.empty ? "faded" : i === 0 ? "before" : "after"}>{!ofLine && label}</Cell>
                  <Cell>
                    <Written
                      bare
                      of={of}
                      name={`arms.${i}.name`}
                      label={ofLine ? "Its name in the order of builds" : `Build of ${label}`}
                      {...(ofLine && { rules: required })}
                      size={14}
                    />
                  </Cell>
                  {visited ? (
                    <Cell>
                      <Written
                        bare
                        of={of}
                        name={`arms.${i}.page`}
                        label={`Page of ${label}`}
                        placeholder="http://pages.example/festival.html?lanterns={load}"
                        rules={{ ...required, ...address }}
                        sx={{ width: "100%" }}
                      />
                    </Cell>
                  ) : (
                    <>
                      <Cell>
                        <Written
                          bare
                          of={of}
                          name={`arms.${i}.subject`}
                          label={`Subject of ${label}`}
                          list="subjects"
                          size={14}
                          placeholder={offered[0]?.name ?? "name of the program"}
                          rules={required}
                        />
                      </Cell>
                      <Cell>
                        <Written
                          bare
                          of={of}
                          name={`arms.${i}.arguments`}
                          label={`Arguments of ${label}`}
                          list={`used by ${subject}`}
                          placeholder={last ? `last: ${last}` : ""}
                          sx={{ width: "100%" }}
                        />
                      </Cell>
                    </>
                  )}
                  <Cell>
                    <Written
                      bare
                      of={of}
                      name={`arms.${i}.observers`}
                      label={`Observers of ${label}`}
                      size={14}
                      placeholder="none"
                    />
                  </Cell>
                  {!visited && (
                    <Cell>
                      <Ticked of={of} name={`arms.${i}.tap`} label={<Unseen>Tap {label}</Unseen>} />
                    </Cell>
                  )}
                  <Cell>
                    {(field.empty || i > 1 || (swept && i === 1)) && (
                      <TextButton small onClick={() => arms.remove(i)} aria-label={`Leave out ${label}`}>
                        leave out
                      </TextButton>
                    )}
                  </Cell>
                </TableRow>
              );
            })}
          </TableBody>
        </Table>
      </Wide>
      {!blank && (
        <Text small sx={{ display: "flex", flexWrap: "wrap", gap: "2px 16px", marginTop: 6 }}>
          {((!switched && !ofLine && !of.getValues("over")) ||
            (swept &&
              played.length === 1 &&
              of.watch("sweep.of") !== "cores" &&
              !of.getValues("sweep.rich"))) && <TextButton onClick={another}>another arm</TextButton>}
          {!now.some((arm) => arm.empty) &&
            !of.getValues("combined") &&
            !of.getValues("over") &&
            !swept &&
            !ofLine && (
              <TextButton onClick={() => arms.append(newArm("empty", true))}>an empty arm</TextButton>
            )}
          <Text as="span" tone="faded">
            {!swept &&
              !ofLine &&
              "The empty arm is the scenario with its work switched off: what measuring itself costs. "}
            {visited
              ? "Each page must include our module; {load}, {seed} and {seconds} in its address are filled in."
              : "A tapped arm's program is recorded as it is, by the frames it presents (Linux: GLX, EGL and Vulkan)."}
          </Text>
        </Text>
      )}
    </section>
  );
}
