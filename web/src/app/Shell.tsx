import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import { styled, useColorScheme } from "@mui/material/styles";
import { lazy, Suspense, useEffect, useMemo, useRef, useState } from "react";
import { Link, NavLink, Outlet, useLocation, useNavigate, useParams, useSearchParams } from "react-router";
import type { Schemas } from "../api/client";
import { useSignOut } from "../api/queries";
import {
  Cell,
  Choice,
  colour,
  Note,
  PageTitle,
  PartTitle,
  Table,
  TableBody,
  TableRow,
  Text,
  TextButton,
  TextInput,
} from "../kit";
import { serif } from "../kit/theme";
import { Boundary } from "./Boundary";
import { HeadContext, type HeadLine } from "./head";
import { useScrollKept } from "./kept";
import { useKeys } from "./keys";
import { Loading } from "./states";

const KEYS: [string, string][] = [
  ["/", "find an entry"],
  ["j  k", "next and previous line"],
  ["Enter", "open the line"],
  ["n", "new entry"],
  ["Shift+J  Shift+K", "next and previous entry"],
  [",  .", "turn the leaves of an entry"],
  ["← →", "step a frame; with Shift ten"],
  ["Home  End", "first and last frame in view"],
  ["s  Shift+S", "next stutter, and the one before"],
  ["l  Shift+L", "next late frame, and the one before, on a frame's page"],
  ["+  -  [  ]", "the trace closer, wider, earlier, later"],
  ["t", "the table of what is seen"],
  ["Esc", "the whole run again; leave a field"],
  ["g", "the guided first case, and away with it"],
  ["?", "these keys"],
];

const Guide = lazy(() => import("../pages/guide/Guide"));

/** Where the browser keeps which book was open last. */
export const LAST_BOOK = "last book";

/** No book's address: those hold no space. */
const NEW = "a new book";

const Desk = styled("div")(({ theme }) => ({
  display: "grid",
  gridTemplateColumns: "148px minmax(0, 1fr)",
  height: "100%",
  [theme.breakpoints.down("sm")]: {
    gridTemplateColumns: "minmax(0, 1fr)",
    gridTemplateRows: "auto minmax(0, 1fr)",
    height: "auto",
    minHeight: "100%",
  },
}));

/** Where the eye and the Tab key begin: over everything else once it has the focus. */
const Skip = styled("a")({
  position: "absolute",
  left: 8,
  top: -60,
  padding: "6px 12px",
  background: colour.sheet,
  border: `1px solid ${colour.ink}`,
  zIndex: 10,
  "&:focus": { top: 8 },
});

const Spine = styled("aside")(({ theme }) => ({
  borderRight: `3px double ${colour.rule}`,
  display: "flex",
  flexDirection: "column",
  padding: "16px 0 12px",
  overflow: "auto",
  "& header": { padding: "0 16px 20px" },
  "& header b": { font: `600 20px / 1.2 ${serif}`, display: "block", overflowWrap: "anywhere" },
  "& nav": { display: "flex", flexDirection: "column" },
  "& nav a": {
    padding: "6px 16px 6px 13px",
    textDecoration: "none",
    borderLeft: "3px solid transparent",
    borderTop: "1px solid transparent",
    borderBottom: "1px solid transparent",
  },
  "& nav a:focus-visible": { outlineOffset: -2 },
  "& nav a.active": {
    background: colour.sheet,
    borderLeftColor: colour.ink,
    borderTopColor: colour.rule,
    borderBottomColor: colour.rule,
    fontWeight: 600,
  },
  "& footer": {
    marginTop: "auto",
    padding: "0 16px",
    display: "grid",
    gap: 2,
    justifyItems: "start",
    fontSize: 12,
    color: colour.faded,
    "& [data-verb]": { minHeight: 24, lineHeight: "24px" },
  },
  [theme.breakpoints.down("sm")]: {
    flexDirection: "row",
    borderRight: 0,
    borderBottom: `3px double ${colour.rule}`,
    alignItems: "center",
    padding: "8px 10px",
    flexWrap: "wrap",
    "& header": { padding: "0 12px 0 4px" },
    "& header span": { display: "none" },
    "& nav": { flexDirection: "row", flexWrap: "wrap" },
    "& nav a": { padding: "4px 10px", borderLeftWidth: 1 },
    "& footer": { margin: "0 0 0 auto", padding: 0, gridAutoFlow: "column", gap: 10 },
    "& footer > span": { display: "none" },
  },
}));

const Main = styled("div")(({ theme }) => ({
  display: "grid",
  gridTemplateRows: "auto minmax(0, 1fr) auto",
  minWidth: 0,
  height: "100%",
  overflow: "hidden",
  "& > header": {
    display: "flex",
    gap: 24,
    alignItems: "center",
    padding: "7px 22px",
    borderBottom: `1px solid ${colour.rule}`,
    minHeight: 43,
    flexWrap: "wrap",
  },
  "& > header > .MuiInputBase-root": { marginLeft: "auto", width: 190 },
  "& > main": { overflow: "auto", padding: "14px 18px", minWidth: 0, outline: "none" },
  [theme.breakpoints.down("sm")]: {
    height: "auto",
    overflow: "visible",
    "& > main": { padding: 8, overflow: "visible" },
    "& > header": { gap: "4px 14px", padding: "6px 12px", fontSize: 13 },
    "& > header > .MuiInputBase-root": { marginLeft: 0, width: "100%" },
  },
}));

const Sheet = styled("div")(({ theme }) => ({
  background: colour.sheet,
  border: `1px solid ${colour.rule}`,
  padding: "18px 20px",
  minHeight: "100%",
  minWidth: 0,
  [theme.breakpoints.down("sm")]: { padding: "12px 10px", overflowX: "auto" },
}));

const GUIDE = "first case open";

/** Is the guided case open? It is as it was left. */
function useGuide() {
  const [open, setOpen] = useState(() => localStorage.getItem(GUIDE) === "1");
  const toggle = () => {
    if (open) localStorage.removeItem(GUIDE);
    else localStorage.setItem(GUIDE, "1");
    setOpen(!open);
  };
  return { open, toggle };
}

function Target({ line }: { line: HeadLine }) {
  if (!line.target_fps || !line.budget_ms)
    return (
      <Text as="span" tone="faded">
        no target rate
      </Text>
    );
  return (
    <span>
      {line.target_fps} fps = <b>{line.budget_ms.toFixed(2)} ms</b>
    </span>
  );
}

/** By day or by night: as the system has it until it is switched here. */
function DayOrNight() {
  const { mode, systemMode, setMode } = useColorScheme();
  const night = (mode === "system" ? systemMode : mode) === "dark";
  return (
    <TextButton onClick={() => setMode(night ? "light" : "dark")}>{night ? "by day" : "by night"}</TextButton>
  );
}

function NoSuchBook({ session, book }: { session: Schemas["Session"]; book: string }) {
  return (
    <Note>
      <PageTitle>No book “{book}” is open to you</PageTitle>
      <p>It may have another address, or its owner has to add you. Yours:</p>
      {session.books.map((b) => (
        <Link key={b.slug} to={`/${b.slug}`}>
          {b.name}
        </Link>
      ))}
    </Note>
  );
}

export function Shell({ session }: { session: Schemas["Session"] }) {
  const { book = "" } = useParams();
  const [line, setLine] = useState<HeadLine | null>(null);
  const [help, setHelp] = useState(false);
  const [search, setSearch] = useSearchParams();
  const find = useRef<HTMLInputElement>(null);
  const guide = useGuide();
  const navigate = useNavigate();
  const place = useLocation().pathname;
  const onLedger = place.replace(/\/$/, "") === `/${book}`;
  useKeys({
    "/": () => find.current?.focus(),
    "?": () => setHelp(true),
    g: guide.toggle,
  });
  const name = session.books.find((b) => b.slug === book)?.name ?? book;
  const leave = useSignOut();
  const known = session.books.some((b) => b.slug === book);
  useEffect(() => {
    if (known) localStorage.setItem(LAST_BOOK, book);
  }, [known, book]);
  const outlet = useMemo(
    () => (
      <Suspense fallback={<Loading what="the page" />}>
        <Outlet />
      </Suspense>
    ),
    [],
  );

  // A new page is read from its beginning, by eye and by ear.
  const main = useRef<HTMLElement>(null);
  useScrollKept(main);
  const first = useRef(true);
  useEffect(() => {
    if (first.current) first.current = false;
    else if (!find.current || document.activeElement !== find.current)
      main.current?.focus({ preventScroll: true });
  }, [place]);

  // The field keeps its own text: the address follows in a transition, too late for quick typing.
  const [text, setText] = useState(search.get("find") ?? "");
  const address = search.get("find") ?? "";
  useEffect(() => {
    if (!onLedger || !address) setText("");
  }, [onLedger, address]);
  const onFind = (text: string) => {
    setText(text);
    if (onLedger) {
      const next = new URLSearchParams(search);
      if (text) next.set("find", text);
      else next.delete("find");
      setSearch(next, { replace: true });
    } else navigate(`/${book}?find=${encodeURIComponent(text)}`);
  };

  return (
    <Desk>
      <Skip href="#page">To the page</Skip>
      <Spine>
        <header>
          <b>{name}</b>
          <Choice
            aria-label="Another book"
            value={known ? book : ""}
            onChange={(e) => navigate(e.target.value === NEW ? `/${book}/book/new` : `/${e.target.value}`)}
            sx={{ marginTop: 4, width: "100%", fontSize: 12 }}
          >
            {!known && <option value="">book …</option>}
            {session.books.map((b) => (
              <option key={b.slug} value={b.slug}>
                {b.name}
              </option>
            ))}
            {known && <option value={NEW}>a new book …</option>}
          </Choice>
        </header>
        <nav aria-label="Sections">
          <NavLink
            to={`/${book}`}
            className={() => (onLedger || place.includes("/entries/") ? "active" : "")}
          >
            Ledger
          </NavLink>
          <NavLink to={`/${book}/bench`}>Bench</NavLink>
          <NavLink to={`/${book}/bring`}>Bring in</NavLink>
          <NavLink to={`/${book}/runs`}>Runs</NavLink>
          <NavLink to={`/${book}/arms`} className={() => (/\/(arms|chain)$/.test(place) ? "active" : "")}>
            Arms
          </NavLink>
          <NavLink to={`/${book}/trend`}>Trend</NavLink>
          <NavLink to={`/${book}/field`}>Field</NavLink>
          <NavLink to={`/${book}/inventory`}>Inventory</NavLink>
          <NavLink to={`/${book}/laps`}>Laps</NavLink>
          <NavLink to={`/${book}/backlog`}>Backlog</NavLink>
          <NavLink to={`/${book}/rules`}>Rules</NavLink>
          <NavLink to={`/${book}/statement`}>Statement</NavLink>
          <NavLink to={`/${book}/scenarios`}>Scenarios</NavLink>
          <NavLink to={`/${book}/book`}>The book</NavLink>
        </nav>
        <footer>
          <NavLink to={`/${book}/you`} data-verb>
            {session.user}
          </NavLink>
          <TextButton disabled={leave.isPending} onClick={() => leave.mutate()}>
            sign out
          </TextButton>
          <DayOrNight />
          <TextButton onClick={guide.toggle}>first case: g</TextButton>
          <TextButton onClick={() => setHelp(true)}>keys: ?</TextButton>
        </footer>
      </Spine>
      <Main>
        <header>
          {line?.scenario && (
            <>
              <span>
                {line.scenario}, <b>version {line.version}</b>
              </span>
              {line.rig && (
                <span>
                  on <b>{line.rig}</b>
                </span>
              )}
              <Target line={line} />
            </>
          )}
          <TextInput
            ref={find}
            type="text"
            placeholder="Find  /"
            aria-label="Find an entry"
            value={text}
            onChange={(event) => onFind(event.target.value)}
          />
        </header>
        <HeadContext.Provider value={setLine}>
          <main id="page" ref={main} tabIndex={-1}>
            <Sheet>
              {known ? (
                <Boundary at={place}>{outlet}</Boundary>
              ) : (
                <NoSuchBook session={session} book={book} />
              )}
            </Sheet>
          </main>
        </HeadContext.Provider>
        {guide.open && known && (
          <Suspense>
            <Guide close={guide.toggle} />
          </Suspense>
        )}
      </Main>
      <Dialog open={help} onClose={() => setHelp(false)} aria-labelledby="keys-title">
        <PartTitle id="keys-title">Keys</PartTitle>
        <Table sx={{ marginTop: 8 }}>
          <TableBody>
            {KEYS.map(([key, what]) => (
              <TableRow key={key}>
                <Cell nowrap strong>
                  {key}
                </Cell>
                <Cell>{what}</Cell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
        <Button sx={{ marginTop: 12, justifySelf: "end" }} onClick={() => setHelp(false)}>
          Close
        </Button>
      </Dialog>
    </Desk>
  );
}
