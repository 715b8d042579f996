import { createContext, useContext, useEffect } from "react";
import { useParams } from "react-router";
import { useSession } from "../api/queries";

export interface HeadLine {
  scenario: string;
  version: number | null;
  rig: string;
  target_fps: number | null;
  budget_ms: number | null;
}

export const HeadContext = createContext<(line: HeadLine | null) => void>(() => {});

/** A page tells the shell what its head line names. */
export function useHead(line: HeadLine | null) {
  const set = useContext(HeadContext);
  const key = JSON.stringify(line);
  useEffect(() => {
    set(JSON.parse(key) as HeadLine | null);
    return () => set(null);
  }, [set, key]);
}

/** The window's title: what the page is, and of which book. */
export function useTitle(page: string | undefined) {
  const { book = "" } = useParams();
  const name = useSession().data?.books.find((b) => b.slug === book)?.name ?? "Vigilant Ledger";
  useEffect(() => {
    if (page) document.title = `${page}, ${name}`;
  }, [page, name]);
}
