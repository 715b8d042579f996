import { useQuery } from "@tanstack/react-query";
import { api, data, type Schemas } from "./client";
import { useChange } from "./queries";

/** Statements: what they are of, in every form, by a link, and what is handed over. */

export interface Of {
  entries: string;
  goal: number | null;
  hand_over: number | null;
  /** The recording that an account comes of. */
  account: string;
}
export const FORMS = { html: "page", pdf: "PDF", markdown: "Markdown", csv: "CSV", json: "JSON" } as const;
export type Form = keyof typeof FORMS;
export type Paper = "a4" | "letter";

/** What is asked in an address. */
export function asked({ entries, goal, hand_over, account }: Of): Record<string, string> {
  if (account) return { account };
  if (goal !== null) return { goal: String(goal) };
  return hand_over === null ? { entries } : { hand_over: String(hand_over) };
}

export const statementAddress = (book: string, of: Of, form: Form, paper: Paper) =>
  `/api/books/${book}/statement/?${new URLSearchParams({ ...asked(of), as: form, paper })}`;

/** The evidence of an entry as one signed file. */
export const bundleAddress = (book: string, number: number) => `/api/books/${book}/entries/${number}/bundle/`;

/** The most entries one statement is of. */
export const MOST_ENTRIES = 100;

/** Numbers as a statement names them: 1-3,5. */
export function ranges(numbers: readonly number[]): string {
  const runs: [number, number][] = [];
  for (const n of [...new Set(numbers)].sort((a, b) => a - b)) {
    const last = runs.at(-1);
    if (last && n === last[1] + 1) last[1] = n;
    else runs.push([n, n]);
  }
  return runs.map(([from, to]) => (from === to ? String(from) : `${from}-${to}`)).join(",");
}

/** A statement's document, as far as its page needs it. */
export interface Statement {
  title: string;
  entries?: { number: number }[];
}

export const useStatement = (book: string, of: Of) =>
  useQuery({
    queryKey: ["book", book, "statement", asked(of)],
    enabled: of.entries !== "" || of.goal !== null || of.hand_over !== null || of.account !== "",
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/statement/", {
          params: {
            path: { book },
            query: { ...asked(of), as: "json" },
          },
        }),
      ) as unknown as Statement,
  });

const seal = (book: string) => ["book", book, "seal"];

/** The end of a book's chain and what the last check found; asked again while a check goes on. */
export const useSeal = (book: string) =>
  useQuery({
    queryKey: seal(book),
    refetchInterval: (query) => (query.state.data?.job ? 500 : false),
    queryFn: async () => data(await api.GET("/api/books/{book}/seal/", { params: { path: { book } } })),
  });

export const useCheckSeal = (book: string) =>
  useChange(seal(book), async () =>
    data(await api.POST("/api/books/{book}/seal/", { params: { path: { book } } })),
  );

export const useSigningKey = () =>
  useQuery({
    queryKey: ["signing key"],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async () => data(await api.GET("/api/signing-key/")),
  });

const links = (book: string) => ["book", book, "statement links"];

export const useStatementLinks = (book: string) =>
  useQuery({
    queryKey: links(book),
    queryFn: async () =>
      data(await api.GET("/api/books/{book}/statement/links/", { params: { path: { book } } })),
  });

export const useMakeLink = (book: string) =>
  useChange(links(book), async (body: Schemas["LinkInRequest"]) =>
    data(await api.POST("/api/books/{book}/statement/links/", { params: { path: { book } }, body })),
  );

export const useRevokeLink = (book: string) =>
  useChange(links(book), async (link: number) =>
    data(await api.DELETE("/api/books/{book}/statement/links/{link}/", { params: { path: { book, link } } })),
  );

export const useAllowLinks = (book: Schemas["Book"]) =>
  useChange(["session"], async (links_allowed: boolean) =>
    data(
      await api.PUT("/api/books/{book}/", {
        params: { path: { book: book.slug } },
        body: { name: book.name, links_allowed },
      }),
    ),
  );

const handOvers = (book: string, number: number) => ["book", book, "entry", number, "hand-overs"];

export const useHandOvers = (book: string, number: number | undefined) =>
  useQuery({
    queryKey: handOvers(book, number ?? 0),
    enabled: number !== undefined,
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/entries/{number}/hand-overs/", {
          params: { path: { book, number: number ?? 0 } },
        }),
      ),
  });

export const useHandOver = (book: string, number: number) =>
  useChange(handOvers(book, number), async (body: Schemas["HandOverInRequest"]) =>
    data(
      await api.POST("/api/books/{book}/entries/{number}/hand-overs/", {
        params: { path: { book, number } },
        body,
      }),
    ),
  );
