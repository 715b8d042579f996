import Button from "@mui/material/Button";
import { useState } from "react";
import { Link, useParams } from "react-router";
import { useMoveBuild, useOrder, useSetOrder } from "../../api/trend";
import { day } from "../../app/days";
import { useTitle } from "../../app/head";
import { useMay } from "../../app/role";
import { Failure, Loading } from "../../app/states";
import { Chosen, FormDialog, required, Ticked, text, useSheet, Written } from "../../form";
import {
  Cell,
  PageTitle,
  Room,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  TextButton,
  TitleRow,
  useRows,
} from "../../kit";
import { buildsOf } from "./builds";

function ListForm({ book, close }: { book: string; close: () => void }) {
  const order = useSetOrder(book);
  const sheet = useSheet({
    values: { builds: "", by: "list", anew: false },
    send: ({ builds, by, anew }) =>
      order.mutateAsync({ builds: buildsOf(builds, by === "date"), by: by as "list" | "date", anew }),
    sent: close,
    place: (at) => (at.startsWith("builds") ? "builds" : at),
  });
  return (
    <FormDialog of={sheet} title="Give builds their place" verb="Order them so" close={close} wide>
      <Written
        of={sheet}
        name="builds"
        label="Builds, a line each, the oldest first"
        lines={9}
        rules={{ ...required, ...text(1_000_000) }}
        hint="Those that have a place keep their order; each other goes right before the next listed one that has a place, or to the end."
      />
      <Chosen of={sheet} name="by" label="Ordered">
        <option value="list">as they are listed</option>
        <option value="date">by the date that follows each, as 2026-05-04</option>
      </Chosen>
      <Ticked
        of={sheet}
        name="anew"
        label="This is the whole order: builds that are not listed lose their place"
      />
    </FormDialog>
  );
}

function MoveForm({
  book,
  build,
  builds,
  close,
}: {
  book: string;
  build: string;
  builds: readonly string[];
  close: () => void;
}) {
  const move = useMoveBuild(book);
  const sheet = useSheet({
    values: { after: builds[builds.indexOf(build) - 1] ?? "" },
    send: ({ after }) => move.mutateAsync({ build, after: after.trim() }),
    sent: close,
  });
  return (
    <FormDialog of={sheet} title={`Where does ${build} go?`} verb="Move it" close={close}>
      <Written
        of={sheet}
        name="after"
        label="Right after this build"
        rules={text(160)}
        hint="Left empty it is the first."
      />
    </FormDialog>
  );
}

/** The order of the book's builds, the newest first. */
export default function OrderPage() {
  const { book = "" } = useParams();
  const query = useOrder(book);
  const may = useMay();
  const [listing, setListing] = useState(false);
  const [moving, setMoving] = useState("");
  useTitle("The order of builds");
  const builds = query.data?.builds ?? [];
  const newest = [...builds].reverse();
  const { body, items, before, after, measure } = useRows(newest.length, 31, {
    has: false,
    busy: false,
    fetch: () => {},
  });
  if (query.error && !query.data) return <Failure error={query.error} again={() => query.refetch()} />;
  if (!query.data) return <Loading what="the order of builds" />;
  return (
    <article>
      <TitleRow>
        <div>
          <PageTitle>The order of builds</PageTitle>
          <Text tone="faded" sx={{ fontSize: 13 }}>
            {builds.length.toLocaleString("en-GB")} builds, the newest first.{" "}
            <Link to={`/${book}/trend`}>All lines</Link>
          </Text>
        </div>
        {may.write && <Button onClick={() => setListing(true)}>Give builds their place</Button>}
      </TitleRow>
      {builds.length === 0 ? (
        <p>
          No build has a place yet. A build server gives them theirs with <code>vigilant order</code>.
        </p>
      ) : (
        <Table aria-label="Builds" sx={{ maxWidth: 640, marginTop: 8 }} aria-rowcount={builds.length + 1}>
          <TableHead>
            <TableRow>
              <Cell align="right" sx={{ width: 70 }}>
                Place
              </Cell>
              <Cell>Build</Cell>
              <Cell sx={{ width: 160 }}>Made</Cell>
              <Cell sx={{ width: 80 }} />
            </TableRow>
          </TableHead>
          <TableBody ref={body}>
            <Room height={before} />
            {items.map(({ index }) => {
              const build = newest[index];
              return (
                build && (
                  <TableRow key={build.name} ref={measure} data-index={index}>
                    <Cell align="right">{builds.length - index}</Cell>
                    <Cell>{build.name}</Cell>
                    <Cell tone="faded">{build.made_at ? day(build.made_at) : ""}</Cell>
                    <Cell>
                      {may.write && (
                        <TextButton aria-label={`Move ${build.name}`} onClick={() => setMoving(build.name)}>
                          move
                        </TextButton>
                      )}
                    </Cell>
                  </TableRow>
                )
              );
            })}
            <Room height={after} />
          </TableBody>
        </Table>
      )}
      {listing && <ListForm book={book} close={() => setListing(false)} />}
      {moving && (
        <MoveForm book={book} build={moving} builds={builds.map((b) => b.name)} close={() => setMoving("")} />
      )}
    </article>
  );
}
