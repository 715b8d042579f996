import { Word } from "../../figures/Word";
import { type Sheet, text, Written } from "../../form";
import { Fields } from "../../kit";
import type { PlanForm } from "./plan";

/** The conditions that one change is recorded under: every combination is a cell. */
export function Over({ of, recorders }: { of: Sheet<PlanForm>; recorders: readonly string[] }) {
  return (
    <section>
      <h2>
        <Word of="matrix">Over</Word>
      </h2>
      <Fields>
        <Written
          of={of}
          name="over.windows"
          label="Window sizes"
          hint="as 1280x720, 1920x1080; commas between"
          rules={text(1000)}
        />
        <Written
          of={of}
          name="over.windowArguments"
          label="Added for a size"
          hint="{value} stands for it"
          placeholder="--window {value}"
          rules={text(4000)}
        />
        <Written
          of={of}
          name="over.tiers"
          label="Tiers"
          hint="as low, high; commas between"
          rules={text(1000)}
        />
        <Written
          of={of}
          name="over.tierArguments"
          label="Added for a tier"
          hint="{value} stands for it"
          placeholder="--tier {value}"
          rules={text(4000)}
        />
        <Written
          of={of}
          name="over.rigs"
          label="Rigs"
          hint={
            recorders.length > 0
              ? `recorders, commas between: ${recorders.join(", ")}`
              : "no recorder stands by"
          }
          rules={text(1000)}
        />
      </Fields>
    </section>
  );
}
