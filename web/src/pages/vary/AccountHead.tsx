import type { ReactNode } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import type { Schemas } from "../../api/client";
import { Choice, PageTitle, Text, TitleRow } from "../../kit";

interface Props {
  recording: Schemas["RecordingLine"];
  figures: readonly { figure: string; name: string }[];
  chosen: string;
  children: ReactNode;
}

/** The head of an account that fills no entry: what was asked, of how many runs, in which figure. */
export function AccountHead({ recording, figures, chosen, children }: Props) {
  const { book = "" } = useParams();
  const [, setSearch] = useSearchParams();
  return (
    <TitleRow>
      <div>
        <PageTitle>{recording.title}</PageTitle>
        <Text tone="faded" sx={{ fontSize: 13 }}>
          {children}
          {recording.state !== "finished" && ", still being recorded"}.{" "}
          <Link to={`/${book}/bench/${recording.id}`}>The recording</Link>
        </Text>
      </div>
      <Choice
        aria-label="Figure"
        value={chosen}
        onChange={(e) => setSearch({ of: e.target.value }, { replace: true })}
      >
        {figures.map((f) => (
          <option key={f.figure} value={f.figure}>
            {f.name}
          </option>
        ))}
      </Choice>
    </TitleRow>
  );
}
