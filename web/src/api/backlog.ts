import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, data, type Schemas } from "./client";
import type { GainOf } from "./evidence";
import { useChange } from "./queries";

/** Ideas by what they could bring at most. */
export type Idea = Schemas["Idea"];
export type Size = Schemas["SizeEnum"];

export const useBacklog = (book: string, by: GainOf | undefined) =>
  useQuery({
    queryKey: ["book", book, "backlog", by],
    placeholderData: keepPreviousData,
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/backlog/", {
          params: { path: { book }, query: { ...(by && { by }) } },
        }),
      ),
  });

export const useWriteIdea = (book: string) =>
  useChange(["book", book], async (body: Schemas["IdeaInRequest"]) =>
    data(await api.POST("/api/books/{book}/backlog/", { params: { path: { book } }, body })),
  );

export const useChangeIdea = (book: string) =>
  useChange(["book", book], async ({ key, ...body }: Schemas["PatchedIdeaChangeRequest"] & { key: number }) =>
    data(await api.PATCH("/api/books/{book}/backlog/{key}/", { params: { path: { book, key } }, body })),
  );

export const useCloseGoal = (book: string) =>
  useChange(["book", book], async ({ goal, why }: { goal: number; why: string }) =>
    data(
      await api.POST("/api/books/{book}/goals/{goal}/close/", {
        params: { path: { book, goal } },
        body: { why },
      }),
    ),
  );

/** The budget split over the parts of an arm. */
export const useBudget = (book: string, number: number, arm: "before" | "after") =>
  useQuery({
    queryKey: ["book", book, "entry", number, "budget", arm],
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/entries/{number}/budget/", {
          params: { path: { book, number }, query: { arm } },
        }),
      ),
  });

export const useAllow = (book: string, number: number) =>
  useChange(["book", book, "entry", number, "budget"], async (body: Schemas["AllowancesInRequest"]) =>
    data(
      await api.POST("/api/books/{book}/entries/{number}/budget/", {
        params: { path: { book, number } },
        body,
      }),
    ),
  );

export type Rule = Schemas["Rule"];

/** What the decision table proposes after an entry. */
export const useWhatNext = (book: string, number: number, arm: "before" | "after") =>
  useQuery({
    queryKey: ["book", book, "entry", number, "next", arm],
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/entries/{number}/next/", {
          params: { path: { book, number }, query: { arm } },
        }),
      ),
  });

export const useDecisionTable = (book: string) =>
  useChange(["book", book, "entry"], async (body: Schemas["DecisionTableRequest"]) =>
    data(await api.PUT("/api/books/{book}/decision-table/", { params: { path: { book } }, body })),
  );

export type CounterLimit = Schemas["CounterLimit"];

/** What an entry's counters may be, and what its runs say of it. */
export const useCounterLimits = (book: string, number: number, arm: "before" | "after") =>
  useQuery({
    queryKey: ["book", book, "entry", number, "limits", arm],
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/entries/{number}/counter-limits/", {
          params: { path: { book, number }, query: { arm } },
        }),
      ),
  });

export const useSetCounterLimit = (book: string, number: number) =>
  useChange(["book", book, "entry", number, "limits"], async (body: Schemas["CounterLimitInRequest"]) =>
    data(
      await api.POST("/api/books/{book}/entries/{number}/counter-limits/", {
        params: { path: { book, number } },
        body,
      }),
    ),
  );
