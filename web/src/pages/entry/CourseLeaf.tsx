import { useRef, useState } from "react";
import { useSearchParams } from "react-router";
import { useCourseLeaf } from "../../api/evidence";
import { useKeys } from "../../app/keys";
import { Failure, Loading, Refused } from "../../app/states";
import { type Course, CourseChart } from "../../charts/CourseChart";
import { ChartTools, TableBehind } from "../../charts/copy";
import type { ChartTable } from "../../charts/table";
import { FigureTable } from "../../figures/FigureLadder";
import { Box, Choice, Line, Text, TextButton, Tick } from "../../kit";
import { LeafSentence } from "./leaves";

function tableOf(course: Course): ChartTable {
  const each = (values: readonly (number | null)[] | null | undefined, i: number) => values?.[i] ?? null;
  return {
    head: [
      "from s",
      "to s",
      "leg",
      "before ms",
      "after ms",
      "difference ms",
      "band from",
      "band to",
      "late before",
      "late after",
      ...course.beside.flatMap((b) => [`${b.name} before`, `${b.name} after`]),
    ],
    rows: course.edges_s
      .slice(0, -1)
      .map((from, i) => [
        from,
        course.edges_s[i + 1] ?? null,
        course.sections.findLast((s) => s.from_s <= from + 1e-6)?.name ?? "",
        each(course.before.typical_ms, i),
        each(course.after.typical_ms, i),
        each(course.difference_ms, i),
        each(course.band_low_ms, i),
        each(course.band_high_ms, i),
        course.before.late[i] ?? 0,
        course.after.late[i] ?? 0,
        ...course.beside.flatMap((b) => [each(b.before, i), each(b.after, i)]),
      ]),
  };
}

/** Where on the course the change is: both arms along it, their difference with its band, and every leg. */
export function CourseLeaf({ book, number, credited }: { book: string; number: number; credited: boolean }) {
  const [search, setSearch] = useSearchParams();
  const [shown, setShown] = useState(false);
  const drawing = useRef<HTMLDivElement>(null);
  const beside = search.get("with") ?? "";
  const position = search.get("position") ?? "";
  const query = useCourseLeaf(book, number, beside, position);
  useKeys({ t: () => setShown(!shown) });
  const placed = (counter: string) => {
    if (counter) search.set("position", counter);
    else search.delete("position");
    setSearch(search, { replace: true, preventScrollReset: true });
  };
  if (query.error && position)
    return (
      <>
        <Refused error={query.error} />
        <TextButton onClick={() => placed("")}>Place frames by leg instead</TextButton>
      </>
    );
  if (query.error && !query.data) return <Failure error={query.error} again={() => query.refetch()} />;
  const course = query.data;
  if (!course) return <Loading what="the course" />;
  const counters = course.columns.filter((c) => c.startsWith("counter:")).map((c) => c.slice(8));
  const chosen = new Set(beside.split(",").filter(Boolean));
  const lay = (name: string, on: boolean) => {
    const next = course.columns.filter((c) => (c === name ? on : chosen.has(c)));
    if (next.length) search.set("with", next.join(","));
    else search.delete("with");
    setSearch(search, { replace: true, preventScrollReset: true });
  };
  return (
    <section>
      <Line>
        <LeafSentence>{course.sentence}</LeafSentence>
        <Box component="span" sx={{ marginLeft: "auto" }}>
          <ChartTools
            table={() => tableOf(course)}
            drawing={drawing}
            shown={shown}
            toggle={() => setShown(!shown)}
          />
        </Box>
      </Line>
      <Box ref={drawing} aria-busy={query.isFetching} sx={{ opacity: query.isPlaceholderData ? 0.6 : 1 }}>
        <CourseChart course={course} />
      </Box>
      {course.columns.length > 0 && (
        <Line sx={{ fontSize: 13, alignItems: "center" }} role="group" aria-label="Laid under the course">
          {counters.length > 0 && (
            <Choice aria-label="Where a frame is" value={position} onChange={(e) => placed(e.target.value)}>
              <option value="">placed by its leg</option>
              {counters.map((name) => (
                <option key={name} value={name}>
                  placed by {name}
                </option>
              ))}
            </Choice>
          )}
          <Text as="span" tone="faded">
            under the same course:
          </Text>
          {course.columns.map((name) => (
            <Tick
              key={name}
              label={name.slice(name.indexOf(":") + 1)}
              checked={chosen.has(name)}
              disabled={!chosen.has(name) && chosen.size >= 4}
              onChange={(e) => lay(name, e.target.checked)}
            />
          ))}
        </Line>
      )}
      <Text small tone="faded">
        {course.notes.join(" ")}
      </Text>
      {shown && <TableBehind table={tableOf(course)} />}
      <Legs course={course} credited={credited} />
      <LeftOut course={course} />
    </section>
  );
}

/** What does not count, by itself: it moves neither the verdict nor the legs. */
function LeftOut({ course }: { course: Course }) {
  if (course.left_out.length === 0) return null;
  const rows = course.left_out.flatMap((out) =>
    out.figures.map((figure) => ({
      key: `${out.name} ${figure.name}`,
      name: `${out.name}: ${figure.words.label}`,
      figure,
    })),
  );
  const alone = course.left_out.filter((out) => out.figures.length === 0);
  return (
    <Box sx={{ marginTop: 16 }}>
      <h2>Left out of the figures</h2>
      <FigureTable label="Left out" head="Stretch" rows={rows} judged={course.judged} credited={false} />
      <Text small tone="faded">
        {[
          "Each is held against itself alone, outside the verdict.",
          ...alone.map((out) => `Only ${out.before ? "before" : "after"} has ${out.name}.`),
        ].join(" ")}
      </Text>
    </Box>
  );
}

function Legs({ course, credited }: { course: Course; credited: boolean }) {
  const [search, setSearch] = useSearchParams();
  const offered = [
    ...new Map(
      course.legs.flatMap((leg) => Object.values(leg.figures).map((f) => [f.name, f.words.label] as const)),
    ),
  ];
  const wanted = search.get("figure");
  const figure = offered.find(([name]) => name === wanted)?.[0] ?? "mean_ms";
  const rows = course.legs.flatMap((leg) => {
    const found = leg.figures[figure];
    return found ? [{ key: leg.name, name: leg.name, figure: found }] : [];
  });
  const alone = course.legs.filter((leg) => leg.before === 0 || leg.after === 0);
  const untested = course.legs.filter((leg) => leg.untested[figure]);
  if (offered.length === 0)
    return (
      <Text tone="faded" sx={{ marginTop: 14 }}>
        The runs have no legs: marks in the stream, or legs by time in the scenario, name them.
      </Text>
    );
  return (
    <Box sx={{ marginTop: 16 }}>
      <Line>
        <h2>Legs,</h2>
        <Choice
          aria-label="Figure of the legs"
          value={figure}
          onChange={(e) => {
            search.set("figure", e.target.value);
            setSearch(search, { replace: true, preventScrollReset: true });
          }}
        >
          {offered.map(([name, label]) => (
            <option key={name} value={name}>
              {label}
            </option>
          ))}
        </Choice>
      </Line>
      <FigureTable label="Legs" head="Leg" rows={rows} judged={course.judged} credited={credited} />
      {(course.said[figure] ?? []).map((said) => (
        <p key={said}>{said}</p>
      ))}
      <Text small tone="faded">
        {[
          course.judged &&
            "Calls are corrected over the legs of the figure (Holm); intervals are each leg's own.",
          ...alone.map((leg) => `Only ${leg.before ? "before" : "after"} has ${leg.name}.`),
          untested.length > 0 &&
            `Shown and not tested, for fewer than ten frames lie beyond: ${untested.map((leg) => leg.name).join(", ")}.`,
        ]
          .filter(Boolean)
          .join(" ")}
      </Text>
    </Box>
  );
}
