import { Word } from "../../figures/Word";
import { amounts, required, type Sheet, text, Written } from "../../form";
import { Fields } from "../../kit";
import type { PlanForm } from "./plan";

/** One setting and the values that it is recorded at. */
export function Sweep({ of, load }: { of: Sheet<PlanForm>; load: boolean }) {
  return (
    <section>
      <h2>{load ? <Word of="ramp">Load</Word> : <Word of="knob">Knob</Word>}</h2>
      <Fields>
        <Written
          of={of}
          name="sweep.name"
          label={load ? "What is loaded" : "Setting"}
          hint={load ? "as it is counted: boats" : ""}
          rules={{ ...required, ...text(100) }}
        />
        <Written
          of={of}
          name="sweep.values"
          label="Values"
          hint={
            load
              ? "0 for nothing loaded, and some around the budget; commas between"
              : "3 to 12; commas between"
          }
          rules={{ ...required, ...amounts() }}
        />
        <Written
          of={of}
          name="sweep.arguments"
          label="Arguments"
          hint="{value} stands for each of them"
          placeholder={load ? "--boats {value}" : "--interval {value}"}
          rules={{ ...required, ...text(4000) }}
        />
        {load && (
          <Written
            of={of}
            name="sweep.counter"
            label="Counter"
            hint="that says what there really was"
            rules={text(100)}
          />
        )}
      </Fields>
    </section>
  );
}
