import Button from "@mui/material/Button";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { usePlanner } from "../../api/queries";
import { Failure, Loading } from "../../app/states";
import { Outlook } from "../../figures/Outlook";

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
  if (query.error) return <Failure error={query.error} again={() => query.refetch()} />;
  if (!query.data) return <Loading what="what the bench sees" />;
  return (
    <section style={{ marginTop: 18 }}>
      <div style={{ display: "flex", gap: 14, alignItems: "baseline", flexWrap: "wrap" }}>
        <h3>What this bench sees</h3>
        {query.data.length > 0 && (
          <label className="faded">
            Runs to see a change of{" "}
            <input
              className="find-field"
              size={4}
              inputMode="decimal"
              aria-label="Change to see"
              value={asked}
              onChange={(e) => setAsked(e.target.value)}
            />{" "}
            <select
              className="find-field"
              aria-label="Unit of the change"
              value={unit}
              onChange={(e) => setUnit(e.target.value as "%" | "fps")}
            >
              <option value="%">%</option>
              <option value="fps">frames a second</option>
            </select>
            {asked !== "" && !known && <span className="spent"> (0.01 to {most.toLocaleString("en")})</span>}
          </label>
        )}
        <Button
          style={{ marginLeft: "auto" }}
          onClick={() => navigate(`/${book}/bench/plan?scenario=${encodeURIComponent(name)}&blank=1`)}
        >
          Plan a blank test
        </Button>
      </div>
      {query.data.length === 0 && (
        <p className="faded" style={{ marginTop: 6 }}>
          Nothing is recorded yet. A blank test records one build as both arms: it says how far runs spread,
          and the smallest change they would show, before any change is made.
        </p>
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
              <p className="small" style={{ marginTop: 2 }}>
                {rig.asked}.
              </p>
            )}
            <p className="small faded" style={{ marginTop: 2 }}>
              From the spread of runs in {rig.entries.length === 1 ? "entry" : "entries"}{" "}
              {rig.entries.map((number, i) => (
                <span key={number}>
                  {i > 0 && ", "}
                  <Link to={`/${book}/entries/${number}`}>{number}</Link>
                </span>
              ))}{" "}
              of version {rig.version}.
            </p>
          </Outlook>
          {rig.blank ? (
            <p style={{ marginTop: 6 }} className={rig.blank.false_alarm ? "spent" : undefined}>
              Last blank test, <Link to={`/${book}/entries/${rig.blank.entry}`}>entry {rig.blank.entry}</Link>
              : {rig.blank.sentence} {rig.blank.drift.join(" ")}
            </p>
          ) : (
            <p style={{ marginTop: 6 }} className="faded">
              No blank test was recorded on this rig yet.
            </p>
          )}
        </div>
      ))}
    </section>
  );
}
