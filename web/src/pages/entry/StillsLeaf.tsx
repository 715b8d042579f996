import Button from "@mui/material/Button";
import { styled } from "@mui/material/styles";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { type ComparedStill, type StillSequence, type Stills, useStillsLeaf } from "../../api/stills";
import { useMay } from "../../app/role";
import { Empty, Failure, Loading } from "../../app/states";
import { Box, Choice, colour, Facts, Line, Text } from "../../kit";
import { LeafSentence } from "./leaves";
import { Masks, PutStill, Ruling } from "./StillForms";
import { type Frame, Pictures, VIEWS, type View } from "./StillPictures";
import { Turner } from "./Turner";

const Desk = styled("div")(({ theme }) => ({
  display: "grid",
  gridTemplateColumns: "210px minmax(0, 1fr)",
  gap: 24,
  marginTop: 10,
  [theme.breakpoints.down("sm")]: { gridTemplateColumns: "minmax(0, 1fr)", gap: 12 },
}));

const List = styled("ul")({
  listStyle: "none",
  margin: 0,
  padding: 0,
  "& button": {
    font: "inherit",
    color: "inherit",
    textAlign: "left",
    width: "100%",
    background: "none",
    border: 0,
    borderBottom: `1px solid ${colour.rule}`,
    padding: "6px 8px",
    cursor: "pointer",
    overflowWrap: "anywhere",
  },
  "& button[aria-current]": { background: colour.margin },
});

/** A still by itself, or the pictures of a sequence in their order. */
interface Shown {
  key: string;
  of: ComparedStill | StillSequence;
  pictures: ComparedStill[];
}

function shownOf(all: Stills): Shown[] {
  const singles = all.stills.filter((still) => !still.sequence);
  return [
    ...singles.map((still) => ({ key: `${still.leg}/${still.name}`, of: still, pictures: [still] })),
    ...all.sequences.map((of) => ({
      key: `${of.leg}//${of.name}`,
      of,
      pictures: of.pictures.flatMap(
        (name) => all.stills.find((still) => still.leg === of.leg && still.name === name) ?? [],
      ),
    })),
  ];
}

const stateOf = (of: ComparedStill | StillSequence) => of.ruling?.state ?? of.state;
const moved = (shown: Shown) => /^changed/.test(stateOf(shown.of));
const share = (value: number) => `${(100 * value).toPrecision(3)} %`;

/** Is the picture still the same? Pictures of both arms, what the pixels say, and what people saw. */
export function StillsLeaf({ book, number }: { book: string; number: number }) {
  const query = useStillsLeaf(book, number);
  const [search, setSearch] = useSearchParams();
  const [putting, setPutting] = useState(false);
  // What is said of a still moves it; the one that is open stays open.
  const [first, setFirst] = useState("");
  const may = useMay();
  const all = query.data;
  if (query.error && !all) return <Failure error={query.error} again={() => query.refetch()} />;
  if (!all) return <Loading what="the stills" />;
  const set = (name: string, value: string) => {
    search.set(name, value);
    setSearch(search, { replace: true, preventScrollReset: true });
  };
  const shown = shownOf(all);
  const worst = shown.find(moved) ?? shown[0];
  if (first === "" && worst) setFirst(worst.key);
  const named = (key: string | null) => shown.find((one) => one.key === key);
  const open = named(search.get("still")) ?? named(first) ?? worst;
  const view = VIEWS.find(([name]) => name === search.get("view"))?.[0] ?? "side";
  return (
    <section>
      <Line>
        <LeafSentence>{all.pending ? "The pictures are being compared …" : all.sentence}</LeafSentence>
        {may.write && (
          <Button sx={{ marginLeft: "auto" }} onClick={() => setPutting(true)}>
            Put a still
          </Button>
        )}
      </Line>
      {putting && <PutStill book={book} number={number} runs={all.runs} close={() => setPutting(false)} />}
      {!open && !all.pending && (
        <Empty title="No picture was taken">
          <p>
            A subject writes its pictures into the folder that <b>VIGILANT_STILLS</b> names, and names each in
            its stream; or put them here, one a run, under the same name in every run.
          </p>
          <code>{'{"still":"rain.png","at_leg":"rain on open water"}'}</code>
        </Empty>
      )}
      {open && (
        <Desk>
          <List aria-label="Stills">
            {shown.map((one) => (
              <li key={one.key}>
                <button
                  type="button"
                  {...(one === open && { "aria-current": true })}
                  onClick={() => set("still", one.key)}
                >
                  <b>{one.of.name}</b>
                  <Text as="span" tone="faded" sx={{ display: "block", fontSize: 13 }}>
                    {one.of.leg || "no leg"}
                    {"pictures" in one.of && `; ${one.pictures.length} pictures`}
                  </Text>
                  <Text as="span" {...(moved(one) && { tone: "spent" as const })}>
                    {stateOf(one.of)}
                    {one.of.ruling && ", seen"}
                  </Text>
                </button>
              </li>
            ))}
          </List>
          <One key={open.key} {...{ book, number, all, view }} shown={open} show={(v) => set("view", v)} />
        </Desk>
      )}
    </section>
  );
}

interface OneProps {
  book: string;
  number: number;
  all: Stills;
  shown: Shown;
  view: View;
  show: (view: View) => void;
}

function One({ book, number, all, shown, view, show }: OneProps) {
  const [drawn, setDrawn] = useState<Frame | null>(null);
  // A sequence opens where it first changed.
  const [at, setAt] = useState(() =>
    Math.max(
      0,
      shown.pictures.findIndex((still) => still.state === "changed"),
    ),
  );
  const may = useMay();
  const { of, pictures } = shown;
  const still = pictures[Math.min(at, pictures.length - 1)];
  if (!still) return null;
  const { difference, floor } = still;
  return (
    <div>
      <Line sx={{ marginBottom: 8 }}>
        <h2>{of.name}</h2>
        <Text as="span" tone="faded">
          {still.leg && `in ${still.leg}; `}
          {still.size.join(" × ")} pixels; {still.runs.before} runs before, {still.runs.after} after
        </Text>
        <Choice
          aria-label="Shown"
          value={view}
          sx={{ marginLeft: "auto" }}
          onChange={(e) => show(e.target.value as View)}
        >
          {VIEWS.filter(([name]) => name !== "difference" || difference).map(([name, label]) => (
            <option key={name} value={name}>
              {label}
            </option>
          ))}
        </Choice>
      </Line>
      <Pictures
        {...{ book, number, still }}
        view={!difference && view === "difference" ? "side" : view}
        drawn={drawn}
        draw={setDrawn}
      />
      {pictures.length > 1 && <Turner pictures={pictures} at={at} turn={setAt} />}
      <Box
        sx={{ display: "grid", gridTemplateColumns: { sm: "minmax(0, 1fr) 270px" }, gap: 22, marginTop: 12 }}
      >
        <div>
          {of !== still && <Finding of={of} />}
          <Finding of={still} {...(of !== still && { name: still.name })} />
          {difference && (
            <Facts sx={{ marginTop: 6 }}>
              <dt>pixels that differ</dt>
              <dd>
                {share(difference.share)}
                {floor && `; within an arm at most ${share(floor.share)}`}
              </dd>
              <dt>largest region</dt>
              <dd>
                {difference.region.toLocaleString("en-GB")} pixels
                {difference.region > 0 &&
                  `, ${difference.box[2]} × ${difference.box[3]} at ${difference.box[0]}, ${difference.box[1]}`}
                {floor && `; within an arm at most ${floor.region.toLocaleString("en-GB")}`}
              </dd>
              <dt>structural similarity</dt>
              <dd>{still.ssim?.toFixed(4)}</dd>
              <dt>a channel differs from</dt>
              <dd>
                {still.limits.channel.toFixed(1)} of 255, or {still.limits.mean.toFixed(1)} over 3 × 3
              </dd>
            </Facts>
          )}
          <Masks {...{ book, number, still, drawn }} done={() => setDrawn(null)} />
          <Text small tone="faded" sx={{ marginTop: 8 }}>
            {all.thresholds}
          </Text>
        </div>
        {still.shows === "view" && (may.write || still.ruling) && <Ruling {...{ book, number, of }} />}
      </Box>
    </div>
  );
}

function Finding({ of, name }: { of: ComparedStill | StillSequence; name?: string }) {
  return (
    <p>
      {name && `${name}: `}
      <b>{of.state.charAt(0).toUpperCase() + of.state.slice(1)}</b>: {of.said}.
    </p>
  );
}
