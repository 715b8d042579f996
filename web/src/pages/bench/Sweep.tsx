import { Word } from "../../figures/Word";
import { amount, amounts, required, type Sheet, text, Written } from "../../form";
import { Choice, Field, Fields } from "../../kit";
import type { PlanForm, SweepForm } from "./plan";

const WORDS: Record<
  SweepForm["of"],
  { head: React.ReactNode; name: string; hint: string; values: string; like: string }
> = {
  load: {
    head: <Word of="ramp">Load</Word>,
    name: "What is loaded",
    hint: "as it is counted: boats",
    values: "0 for nothing loaded, and some around the budget; commas between",
    like: "--boats {value}",
  },
  knob: {
    head: <Word of="knob">Knob</Word>,
    name: "Setting",
    hint: "",
    values: "3 to 12; commas between",
    like: "--interval {value}",
  },
  cores: {
    head: <Word of="scaling">Cores</Word>,
    name: "What is given",
    hint: "the recorder sees to it",
    values: "numbers of cores, four at least for the serial share; commas between",
    like: "",
  },
};

/** Half of the interval at which levels that are chosen are enough, per cent. */
const UNTIL = "2";

/** One setting and the values that it is recorded at. */
export function Sweep({ of }: { of: Sheet<PlanForm> }) {
  const sweep = of.watch("sweep");
  if (!sweep) return null;
  const words = WORDS[sweep.of];
  const alone = of.watch("arms").filter((arm) => !arm.empty).length === 1;
  const chosen = sweep.until !== "";
  return (
    <section>
      <h2>{words.head}</h2>
      <Fields>
        <Written
          of={of}
          name="sweep.name"
          label={words.name}
          hint={words.hint}
          rules={{ ...required, ...text(100) }}
        />
        <Written
          of={of}
          name="sweep.values"
          label={chosen ? "Values to begin with" : "Values"}
          hint={words.values}
          rules={{ ...required, ...amounts() }}
        />
        <Written
          of={of}
          name="sweep.arguments"
          label="Arguments"
          hint={
            sweep.of === "cores"
              ? "if it is told too: {value} stands for each"
              : sweep.inOneRun
                ? "{values} stands for all of them, in a run's own order"
                : "{value} stands for each of them"
          }
          placeholder={sweep.inOneRun ? words.like.replace("{value}", "{values}") : words.like}
          rules={{ ...(sweep.of === "cores" ? {} : required), ...text(4000) }}
        />
        {sweep.of === "load" && (
          <>
            <Written
              of={of}
              name="sweep.counter"
              label="Counter"
              hint="that says what there really was"
              rules={text(100)}
            />
            {sweep.rich && (
              <>
                <Written
                  of={of}
                  name="sweep.rich.name"
                  label="How rich each is"
                  hint="as it is counted: sparks a boat"
                  rules={{ ...required, ...text(100) }}
                />
                <Written
                  of={of}
                  name="sweep.rich.values"
                  label="Richnesses"
                  hint="2 to 8; commas between"
                  rules={{ ...required, ...amounts() }}
                />
                <Written
                  of={of}
                  name="sweep.rich.arguments"
                  label="Added for a richness"
                  hint="{value} stands for each of them"
                  placeholder="--sparks {value}"
                  rules={{ ...required, ...text(4000) }}
                />
              </>
            )}
            {alone && !sweep.rich && (
              <Field
                label="Every run plays"
                hint={sweep.inOneRun ? "{values} are its loads in their order" : ""}
              >
                <Choice
                  value={sweep.inOneRun ? "all" : "one"}
                  onChange={(e) => {
                    const all = e.target.value === "all";
                    of.setValue("sweep.inOneRun", all, { shouldDirty: true });
                    if (all) of.setValue("sweep.until", "", { shouldDirty: true });
                  }}
                >
                  <option value="one">one value</option>
                  <option value="all">all values, in legs of it</option>
                </Choice>
              </Field>
            )}
            {alone && !sweep.rich && !sweep.inOneRun && (
              <Field label="Further levels">
                <Choice
                  value={chosen ? "chosen" : "none"}
                  onChange={(e) =>
                    of.setValue("sweep.until", e.target.value === "chosen" ? UNTIL : "", {
                      shouldDirty: true,
                    })
                  }
                >
                  <option value="none">none</option>
                  <option value="chosen">chosen around the budget</option>
                </Choice>
              </Field>
            )}
            {alone && !sweep.rich && !sweep.inOneRun && chosen && (
              <>
                <Written
                  of={of}
                  name="sweep.until"
                  label="Until half the interval is"
                  hint="per cent of what is carried"
                  inputMode="decimal"
                  rules={{ ...required, ...amount({ least: 0.1, most: 50 }) }}
                />
                <Written
                  of={of}
                  name="sweep.mostRuns"
                  label="Most runs"
                  hint="40 where nothing is said"
                  inputMode="numeric"
                  rules={amount({ least: 8, most: 400, whole: true })}
                />
                <Written
                  of={of}
                  name="sweep.mostValue"
                  label="Never more than"
                  hint="a load that must not be tried"
                  inputMode="decimal"
                  rules={amount({ least: 0 })}
                />
              </>
            )}
          </>
        )}
      </Fields>
    </section>
  );
}
