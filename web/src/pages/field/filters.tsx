import { useSearchParams } from "react-router";
import type { FieldAsked, FieldPage } from "../../api/field";
import { day } from "../../app/days";
import { Box, Choice, OneOf, Tick } from "../../kit";

const NAMES = ["build", "against", "tier", "place", "since", "until"] as const;

/** Which sessions are read stands in the address. */
export function useFieldAsked() {
  const [search, setSearch] = useSearchParams();
  const asked = {
    ...Object.fromEntries(NAMES.map((name) => [name, search.get(name) ?? ""])),
    own: search.get("own") === "1",
  } as FieldAsked;
  const choose = (name: keyof FieldAsked, value: string) => {
    const next = new URLSearchParams(search);
    if (value) next.set(name, value);
    else next.delete(name);
    // Another build, or other devices, have tiers and places of their own.
    if (name === "build" || name === "own") for (const other of ["tier", "place"]) next.delete(other);
    if (name === "own") for (const other of NAMES) next.delete(other);
    setSearch(next, { replace: true });
  };
  return { asked, choose, search: search.size ? `?${search}` : "" };
}

interface Props {
  page: FieldPage;
  asked: FieldAsked;
  choose: (name: keyof FieldAsked, value: string) => void;
  leaf: "" | "moves" | "borrow";
}

/** Choosers of what is read. */
export function FieldFilters({ page, asked, choose, leaf }: Props) {
  const weeks = page.weeks.map((week) => [week, day(week)] as const);
  return (
    <Box
      role="group"
      aria-label="Which sessions"
      sx={{ display: "flex", gap: "6px 12px", flexWrap: "wrap", alignItems: "center", margin: "8px 0" }}
    >
      <Choice aria-label="Build" value={page.build} onChange={(e) => choose("build", e.target.value)}>
        {page.builds.map((b) => (
          <option key={b.name} value={b.name}>
            {b.name}, {b.sessions.toLocaleString("en-GB")} sessions
          </option>
        ))}
      </Choice>
      {leaf === "" && (
        <OneOf
          label="Held against"
          all="held against no build"
          value={asked.against}
          options={page.builds
            .filter((b) => b.name !== page.build)
            .map((b) => [b.name, `against ${b.name}`] as const)}
          onChoose={(value) => choose("against", value)}
        />
      )}
      {leaf !== "moves" && (
        <>
          <OneOf
            label="Tier"
            all="all tiers"
            value={asked.tier}
            options={page.tiers.map((t) => [t.id, t.name] as const)}
            onChoose={(value) => choose("tier", value)}
          />
          <OneOf
            label="Place"
            all="all places"
            value={asked.place}
            options={page.places.map((p) => [p.id, p.name] as const)}
            onChoose={(value) => choose("place", value)}
          />
        </>
      )}
      {weeks.length > 1 && (
        <>
          <OneOf
            label="From"
            all="from the first week"
            value={asked.since}
            options={weeks.map(([week, said]) => [week, `from the week of ${said}`] as const)}
            onChoose={(value) => choose("since", value)}
          />
          <OneOf
            label="To"
            all="to the last week"
            value={asked.until}
            options={weeks.map(([week, said]) => [week, `to the week of ${said}`] as const)}
            onChoose={(value) => choose("until", value)}
          />
        </>
      )}
      <Tick
        checked={asked.own}
        label="the team's own devices"
        onChange={(e) => choose("own", e.target.checked ? "1" : "")}
      />
    </Box>
  );
}
