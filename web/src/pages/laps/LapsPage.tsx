import Button from "@mui/material/Button";
import { useState } from "react";
import { useNavigate, useParams } from "react-router";
import { useLaps } from "../../api/laps";
import { day } from "../../app/days";
import { useTitle } from "../../app/head";
import { useKeys } from "../../app/keys";
import { useMay } from "../../app/role";
import { Empty, Failure, Loading } from "../../app/states";
import { Word } from "../../figures/Word";
import {
  Cell,
  Command,
  LinkRow,
  PageTitle,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  TitleLink,
  TitleRow,
} from "../../kit";
import { KeepForm } from "./KeepForm";

/** Routines that were timed by themselves. */
export default function LapsPage() {
  const { book = "" } = useParams();
  const navigate = useNavigate();
  const query = useLaps(book);
  const may = useMay();
  const [keeping, setKeeping] = useState(false);
  useTitle("Laps");
  useKeys({ n: () => may.write && setKeeping(true) });
  if (query.error && !query.data) return <Failure error={query.error} again={() => query.refetch()} />;
  if (query.isPending) return <Loading what="the laps" />;
  const rows = query.data.results;
  return (
    <>
      <TitleRow sx={{ marginBottom: 8 }}>
        <div>
          <PageTitle>
            <Word of="laps">Laps</Word>
          </PageTitle>
          <Text tone="faded" sx={{ fontSize: 13 }}>
            A routine timed by itself, in two versions; and whether that matters in the frame.
          </Text>
        </div>
        {may.write && (
          <Button variant="contained" onClick={() => setKeeping(true)}>
            From files
          </Button>
        )}
      </TitleRow>
      {rows.length === 0 ? (
        <Empty title="No laps yet">
          <p>Start each version of a routine several times, and keep what its processes wrote:</p>
          <Command as="pre">
            vigilant laps --start "./boats_lap pairs" "./boats_lap cells" --processes 5 --push
          </Command>
        </Empty>
      ) : (
        <Table aria-label="Laps">
          <TableHead>
            <TableRow>
              <Cell>Routine</Cell>
              <Cell>Versions</Cell>
              <Cell>In the frame of</Cell>
              <Cell wide>Kept</Cell>
              <Cell wide>By</Cell>
            </TableRow>
          </TableHead>
          <TableBody>
            {rows.map((row) => (
              <LinkRow key={row.id} to={`/${book}/laps/${row.id}`}>
                <Cell>
                  <TitleLink to={`/${book}/laps/${row.id}`}>{row.name}</TitleLink>
                </Cell>
                <Cell>{row.versions.join(" → ")}</Cell>
                <Cell>{row.entry !== null && `no. ${row.entry}`}</Cell>
                <Cell wide nowrap>
                  {day(row.made_at)}
                </Cell>
                <Cell wide>{row.by || "a recorder"}</Cell>
              </LinkRow>
            ))}
          </TableBody>
        </Table>
      )}
      {keeping && (
        <KeepForm
          book={book}
          close={(key) => {
            setKeeping(false);
            if (key) navigate(`/${book}/laps/${key}`);
          }}
        />
      )}
    </>
  );
}
