import type { UseQueryResult } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import type { Schemas } from "../../api/client";
import { useHead, useTitle } from "../../app/head";
import { Failure, Loading } from "../../app/states";
import { Choice, PageTitle, Text, TitleRow } from "../../kit";

interface Props<Found, Figure> {
  query: UseQueryResult<Found>;
  /** What it is, in the window's title, and while it loads. */
  title: string;
  figures: (found: Found) => readonly Figure[];
  /** Under what was asked: of how many runs, and of what. */
  head: (found: Found, figure: Figure) => ReactNode;
  notes: (found: Found, figure: Figure) => readonly string[];
  children: (found: Found, figure: Figure) => ReactNode;
}

/** Runs of all arms. */
export const runsOf = (arms: readonly { runs: readonly string[] }[]) =>
  arms.reduce((sum, arm) => sum + arm.runs.length, 0);

/** An account that fills no entry: what was asked, of how many runs, in which figure, and what is to be known of it. */
export function AccountPage<
  Found extends { recording: Schemas["RecordingLine"] },
  Figure extends { figure: string; name: string },
>({ query, title, figures, head, notes, children }: Props<Found, Figure>) {
  const { book = "" } = useParams();
  const [search, setSearch] = useSearchParams();
  const found = query.data;
  useHead(found ? { ...found.recording } : null);
  useTitle(found && `${title}: ${found.recording.title}`);
  if (query.error && !found) return <Failure error={query.error} again={() => query.refetch()} />;
  if (!found) return <Loading what="the account" />;
  const all = figures(found);
  const figure = all.find((f) => f.figure === search.get("of")) ?? all[0];
  if (!figure) return null;
  const { recording } = found;
  return (
    <article>
      <TitleRow>
        <div>
          <PageTitle>{recording.title}</PageTitle>
          <Text tone="faded" sx={{ fontSize: 13 }}>
            {head(found, figure)}
            {recording.state !== "finished" && ", still being recorded"}.{" "}
            <Link to={`/${book}/bench/${recording.id}`}>The recording</Link>,{" "}
            <Link to={`/${book}/statement?account=${recording.id}`}>Statement</Link>
          </Text>
        </div>
        <Choice
          aria-label="Figure"
          value={figure.figure}
          onChange={(e) => {
            const next = new URLSearchParams(search);
            next.set("of", e.target.value);
            setSearch(next, { replace: true });
          }}
        >
          {all.map((f) => (
            <option key={f.figure} value={f.figure}>
              {f.name}
            </option>
          ))}
        </Choice>
      </TitleRow>
      {children(found, figure)}
      {notes(found, figure).map((note) => (
        <Text key={note} small tone="faded" sx={{ marginTop: 4 }}>
          {note}
        </Text>
      ))}
    </article>
  );
}
