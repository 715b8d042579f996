import Button from "@mui/material/Button";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { usePlanner } from "../../api/queries";
import { Failure, Loading } from "../../app/states";
import { Outlook } from "../../figures/Outlook";
import { Box, Choice, Text, TextInput } from "../../kit";

/** The planner: what runs of this scenario see on each rig, from all that was compared, and the last blank test. */
export function Planner({ book, scenario, name }: { book: string; scenario: number; name: string }) {
  const navigate = useNavigate();
  const [asked, setAsked] = useState("");
  const [unit, setUnit] = useState<"%" | "fps">("%");
  const size = Number(asked.replace(",", "."));
  const most = unit === "%" ? 100 : 10_000;
  const known = size >= 0.01 && size <= most;
  const query = usePlanner(
    book,
    scenario,
    !known ? {} : unit === "%" ? { wanted: size / 100 } : { wanted_fps: size },
  );
  if (query.error && !query.data) return <Failure error={query.error} again={() => query.refetch()} />;
  if (!query.data) return <Loading what="what the bench sees" />;
  return (
    <Box component="section" sx={{ marginTop: 18 }}>
      <Box sx={{ display: "flex", gap: 14, alignItems: "baseline", flexWrap: "wrap" }}>
        <h2>What this bench sees</h2>
        {query.data.length > 0 && (
          <Text as="label" tone="faded">
            Runs to see a change of{" "}
            <TextInput
              size={4}
              inputMode="decimal"
              aria-label="Change to see"
              value={asked}
              onChange={(e) => setAsked(e.target.value)}
            />{" "}
            <Choice
              aria-label="Unit of the change"
              value={unit}
              onChange={(e) => setUnit(e.target.value as "%" | "fps")}
            >
              <option value="%">%</option>
              <option value="fps">frames a second</option>
            </Choice>
            {asked !== "" && !known && (
              <Text as="span" tone="spent">
                {" "}
                (0.01 to {most.toLocaleString("en")})
              </Text>
            )}
          </Text>
        )}
        <Button
          sx={{ marginLeft: "auto" }}
          onClick={() => navigate(`/${book}/bench/plan?scenario=${encodeURIComponent(name)}&what=blank`)}
        >
          Plan a blank test
        </Button>
      </Box>
      {query.data.length === 0 && (
        <Text tone="faded" sx={{ marginTop: 6 }}>
          Nothing is recorded yet. A blank test records one build as both arms: it says how far runs spread,
          and the smallest change they would show, before any change is made.
        </Text>
      )}
      {query.data.map((rig) => (
        <div key={rig.rig}>
          <Outlook
            title={`On ${rig.rig}`}
            rows={rig.rows}
            {...(!known || query.isPlaceholderData
              ? {}
              : { wanted: unit === "%" ? `${size} %` : `${size} fps` })}
          >
            {known && !query.isPlaceholderData && rig.asked && (
              <Text small sx={{ marginTop: 2 }}>
                {rig.asked}.
              </Text>
            )}
            <Text small tone="faded" sx={{ marginTop: 2 }}>
              From the spread of runs in {rig.entries.length === 1 ? "entry" : "entries"}{" "}
              {rig.entries.map((number, i) => (
                <span key={number}>
                  {i > 0 && ", "}
                  <Link to={`/${book}/entries/${number}`}>{number}</Link>
                </span>
              ))}{" "}
              of version {rig.version}.
            </Text>
          </Outlook>
          {rig.blank ? (
            <Text sx={{ marginTop: 6 }} tone={rig.blank.false_alarm ? "spent" : undefined}>
              Last blank test, <Link to={`/${book}/entries/${rig.blank.entry}`}>entry {rig.blank.entry}</Link>
              : {rig.blank.sentence} {rig.blank.drift.join(" ")}
            </Text>
          ) : (
            <Text sx={{ marginTop: 6 }} tone="faded">
              No blank test was recorded on this rig yet.
            </Text>
          )}
        </div>
      ))}
    </Box>
  );
}
