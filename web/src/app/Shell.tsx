import Dialog from "@mui/material/Dialog";
import { useEffect, useMemo, useRef, useState } from "react";
import { NavLink, Outlet, useLocation, useNavigate, useParams, useSearchParams } from "react-router";
import type { Schemas } from "../api/client";
import { HeadContext, type HeadLine } from "./head";
import { useKeys } from "./keys";
import { useNight } from "./night";

const KEYS: [string, string][] = [
  ["/", "find an entry"],
  ["j  k", "next and previous line"],
  ["Enter", "open the line"],
  ["n", "new entry"],
  ["Shift+J  Shift+K", "next and previous entry"],
  ["← →", "step a frame; with Shift ten"],
  ["Home  End", "first and last frame in view"],
  ["t", "the table of what is seen"],
  ["Esc", "the whole run again; leave a field"],
  ["?", "these keys"],
];

function Target({ line }: { line: HeadLine }) {
  if (!line.target_fps || !line.budget_ms) return <span className="faded">no target rate</span>;
  return (
    <span>
      {line.target_fps} fps = <b>{line.budget_ms.toFixed(2)} ms</b>
    </span>
  );
}

export function Shell({ session }: { session: Schemas["Session"] }) {
  const { book = "" } = useParams();
  const [night, toggleNight] = useNight();
  const [line, setLine] = useState<HeadLine | null>(null);
  const [help, setHelp] = useState(false);
  const [search, setSearch] = useSearchParams();
  const find = useRef<HTMLInputElement>(null);
  const navigate = useNavigate();
  const place = useLocation().pathname;
  const onLedger = place.replace(/\/$/, "") === `/${book}`;
  useKeys({
    "/": () => find.current?.focus(),
    "?": () => setHelp(true),
  });
  const name = session.books.find((b) => b.slug === book)?.name ?? book;
  const position = session.books.findIndex((b) => b.slug === book) + 1;
  const outlet = useMemo(() => <Outlet />, []);

  // The field keeps its own text: the address follows in a transition, too late for quick typing.
  const [text, setText] = useState(search.get("find") ?? "");
  const address = search.get("find") ?? "";
  useEffect(() => {
    if (!onLedger || !address) setText("");
  }, [onLedger, address]);
  const onFind = (text: string) => {
    setText(text);
    if (onLedger) setSearch(text ? { find: text } : {}, { replace: true });
    else navigate(`/${book}?find=${encodeURIComponent(text)}`);
  };

  return (
    <div className="shell">
      <aside className="spine">
        <header>
          <b>{name}</b>
          <span className="small faded">
            book {position} of {session.books.length}
          </span>
        </header>
        <nav aria-label="Sections">
          <NavLink
            to={`/${book}`}
            className={() => (onLedger || place.includes("/entries/") ? "active" : "")}
          >
            Ledger
          </NavLink>
          <NavLink to={`/${book}/bench`}>Bench</NavLink>
          <NavLink to={`/${book}/runs`}>Runs</NavLink>
          <NavLink to={`/${book}/arms`} className={() => (/\/(arms|chain)$/.test(place) ? "active" : "")}>
            Arms
          </NavLink>
          <NavLink to={`/${book}/scenarios`}>Scenarios</NavLink>
        </nav>
        <footer>
          <span className="user">{session.user}</span>
          <button type="button" className="plain-button" onClick={toggleNight}>
            {night ? "by day" : "by night"}
          </button>
          <button type="button" className="plain-button" onClick={() => setHelp(true)}>
            keys: ?
          </button>
        </footer>
      </aside>
      <div className="main">
        <div className="head">
          {line?.scenario && (
            <>
              <span>
                {line.scenario}, <b>version {line.version}</b>
              </span>
              <span>
                on <b>{line.rig}</b>
              </span>
              <Target line={line} />
            </>
          )}
          <input
            ref={find}
            className="find find-field"
            type="text"
            placeholder="Find  /"
            aria-label="Find an entry"
            value={text}
            onChange={(event) => onFind(event.target.value)}
          />
        </div>
        <HeadContext.Provider value={setLine}>
          <main className="desk">
            <div className="sheet">{outlet}</div>
          </main>
        </HeadContext.Provider>
      </div>
      <Dialog open={help} onClose={() => setHelp(false)} aria-labelledby="keys-title">
        <div style={{ padding: 20 }}>
          <h2 id="keys-title">Keys</h2>
          <table className="ruled" style={{ marginTop: 8 }}>
            <tbody>
              {KEYS.map(([key, what]) => (
                <tr key={key}>
                  <td className="nowrap">
                    <b>{key}</b>
                  </td>
                  <td>{what}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      </Dialog>
    </div>
  );
}
