import Button from "@mui/material/Button";
import { useRef, useState } from "react";
import {
  type ComparedStill,
  type StillSequence,
  type Stills,
  useMaskStill,
  usePutStill,
  useRuleOnStill,
  useUnmaskStill,
} from "../../api/stills";
import { day } from "../../app/days";
import { useMay } from "../../app/role";
import { Refused } from "../../app/states";
import { amount, Chosen, FormDialog, required, Said, text, useSheet, Written } from "../../form";
import { Asks, Box, Fields, Framed, RuledList, Text } from "../../kit";
import type { Frame } from "./StillPictures";

interface Of {
  book: string;
  number: number;
  still: ComparedStill;
}

/** What somebody saw of a still or of a whole sequence, and why; the newest counts. */
export function Ruling({ book, number, of }: Omit<Of, "still"> & { of: ComparedStill | StillSequence }) {
  const rule = useRuleOnStill(book, number);
  const may = useMay();
  const state = useRef<"same" | "changed">("same");
  const sheet = useSheet({
    values: { why: "" },
    send: ({ why }) =>
      rule.mutateAsync({ leg: of.leg, name: of.name, whole: "pictures" in of, state: state.current, why }),
    sent: () => sheet.anew(),
  });
  const say = (what: "same" | "changed") => {
    state.current = what;
    void sheet.submit();
  };
  return (
    <section>
      <h2>What was seen</h2>
      {of.ruling && (
        <Framed role="note" sx={{ margin: "4px 0 8px" }}>
          <b>{of.ruling.state === "same" ? "The same" : "Changed"}</b>, {of.ruling.by}, {day(of.ruling.at)}
          <Text as="div" tone="faded">
            {of.ruling.why}
          </Text>
        </Framed>
      )}
      {may.write && (
        <Box
          component="form"
          noValidate
          onSubmit={(e) => e.preventDefault()}
          sx={{ display: "grid", gap: 8 }}
        >
          <Written of={sheet} name="why" label="Why" lines={2} rules={{ ...required, ...text(4000) }} />
          <Box sx={{ display: "flex", gap: 6 }}>
            <Button disabled={sheet.sending} onClick={() => say("same")}>
              It is the same
            </Button>
            <Button disabled={sheet.sending} onClick={() => say("changed")}>
              It changed
            </Button>
          </Box>
          <Said of={sheet} />
        </Box>
      )}
    </section>
  );
}

/** Parts of the picture that may differ: a clock, a flag in the wind. */
export function Masks({ book, number, still, drawn, done }: Of & { drawn: Frame | null; done: () => void }) {
  const unmask = useUnmaskStill(book, number);
  const [open, setOpen] = useState(false);
  const may = useMay();
  if (!may.write && still.masks.length === 0) return null;
  return (
    <Box component="section" sx={{ marginTop: 10 }}>
      <h3>What may differ</h3>
      <RuledList aria-label="What may differ">
        {still.masks.map((mask) => (
          <li key={mask.id}>
            {mask.why}{" "}
            <Text as="span" tone="faded">
              {mask.by}
            </Text>{" "}
            {may.write && (
              <Asks
                text
                label="take away"
                question={`Compare this part again: ${mask.why}?`}
                said="It is left out of this still no more, in every entry of the scenario."
                yes="Take it away"
                onYes={() => unmask.mutate(mask.id)}
              />
            )}
          </li>
        ))}
      </RuledList>
      <Refused error={unmask.error} />
      {may.write && (
        <Button sx={{ marginTop: 6 }} onClick={() => setOpen(true)}>
          {drawn ? "Let what is drawn differ" : "Let a part differ"}
        </Button>
      )}
      {open && (
        <Masking
          {...{ book, number, still, drawn }}
          close={() => {
            setOpen(false);
            done();
          }}
        />
      )}
    </Box>
  );
}

const SIDES = [
  ["left", "From the left, %"],
  ["top", "From the top, %"],
  ["width", "Width, %"],
  ["height", "Height, %"],
] as const;

function Masking({ book, number, still, drawn, close }: Of & { drawn: Frame | null; close: () => void }) {
  const mask = useMaskStill(book, number);
  const written = (side: keyof Frame) => (drawn ? (100 * drawn[side]).toFixed(2) : "");
  const sheet = useSheet({
    values: {
      left: written("left"),
      top: written("top"),
      width: written("width"),
      height: written("height"),
      why: "",
    },
    send: ({ why, ...sides }) =>
      mask.mutateAsync({
        leg: still.leg,
        name: still.name,
        why,
        left: Number(sides.left) / 100,
        top: Number(sides.top) / 100,
        width: Number(sides.width) / 100,
        height: Number(sides.height) / 100,
      }),
    sent: close,
  });
  return (
    <FormDialog of={sheet} title={`What may differ in ${still.name}`} verb="Leave it out" close={close} wide>
      <Text tone="faded" size={13}>
        In every entry of this scenario. A part can be drawn on the pictures first.
      </Text>
      <Fields>
        {SIDES.map(([side, label]) => (
          <Written
            key={side}
            of={sheet}
            name={side}
            label={label}
            inputMode="decimal"
            rules={{ ...required, ...amount({ least: 0, most: 100 }) }}
          />
        ))}
      </Fields>
      <Written autoFocus of={sheet} name="why" label="Why it may" rules={{ ...required, ...text(200) }} />
    </FormDialog>
  );
}

interface Putting {
  book: string;
  number: number;
  runs: Stills["runs"];
  close: () => void;
}

/** A picture for a run that brought none. */
export function PutStill({ book, number, runs, close }: Putting) {
  const put = usePutStill(book, number);
  const [file, setFile] = useState<File>();
  const [without, setWithout] = useState(false);
  const named = (arm: string, run: string) =>
    `${arm}, run ${runs.filter((r) => r.arm === arm).findIndex((r) => r.id === run) + 1}`;
  const sheet = useSheet({
    values: { run: runs[0]?.id ?? "", name: "", leg: "" },
    send: async ({ run, name, leg }) => {
      setWithout(!file);
      return file ? put.mutateAsync({ run, name: name.trim(), leg: leg.trim(), file }) : undefined;
    },
    sent: (answer) => answer && close(),
  });
  return (
    <FormDialog of={sheet} title="Put a still" verb="Put it" close={close} wide>
      <Chosen of={sheet} name="run" label="Of the run">
        {runs.map((run) => (
          <option key={run.id} value={run.id}>
            {named(run.arm, run.id)}
          </option>
        ))}
      </Chosen>
      <label>
        <Text as="span" size={13}>
          PNG, JPEG or WebP, 8 MiB at most
        </Text>
        <input
          type="file"
          accept="image/png,image/jpeg,image/webp"
          onChange={(e) => {
            const chosen = e.target.files?.[0];
            setFile(chosen);
            if (chosen && !sheet.getValues("name")) sheet.setValue("name", chosen.name);
          }}
        />
      </label>
      {without && !file && (
        <Text role="alert" tone="spent">
          Choose a picture.
        </Text>
      )}
      <Written
        of={sheet}
        name="name"
        label="Name"
        hint="the same in every run"
        rules={{ ...required, ...text(100) }}
      />
      <Written of={sheet} name="leg" label="Leg" rules={text(100)} />
    </FormDialog>
  );
}
