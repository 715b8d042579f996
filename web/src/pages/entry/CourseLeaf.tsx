import { useRef, useState } from "react";
import { useSearchParams } from "react-router";
import { useCourseLeaf } from "../../api/queries";
import { useKeys } from "../../app/keys";
import { Failure, Loading } from "../../app/states";
import { type Course, CourseChart } from "../../charts/CourseChart";
import { ChartTools, TableBehind } from "../../charts/copy";
import type { ChartTable } from "../../charts/table";
import { FigureTable } from "../../figures/FigureLadder";
import { Box, Choice, Line, Text, Tick } from "../../kit";
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
  const query = useCourseLeaf(book, number, beside);
  useKeys({ t: () => setShown(!shown) });
  if (query.error && !query.data) return <Failure error={query.error} again={() => query.refetch()} />;
  const course = query.data;
  if (!course) return <Loading what="the course" />;
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
        <Line sx={{ fontSize: 13 }} role="group" aria-label="Laid under the course">
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
    </section>
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
