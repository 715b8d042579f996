import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { api, data, type Schemas } from "./client";
import { useChange, useJob } from "./queries";

/** What stands behind a verdict, a leaf at a time. */

/** The course of an entry with the lanes and counters named; what was shown stays while others are read. */
export const useCourseLeaf = (book: string, number: number, beside: string, position: string) =>
  useQuery({
    queryKey: ["book", book, "entry", number, "course", beside, position],
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/entries/{number}/evidence/course/", {
          params: {
            path: { book, number },
            query: { ...(beside && { with: beside }), ...(position && { position }) },
          },
        }),
      ),
  });

export const useSpreadLeaf = (book: string, number: number) =>
  useQuery({
    queryKey: ["book", book, "entry", number, "spread"],
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/entries/{number}/evidence/spread/", {
          params: { path: { book, number } },
        }),
      ),
  });

export const useNaiveReadings = (book: string, number: number) =>
  useQuery({
    queryKey: ["book", book, "entry", number, "naive"],
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/entries/{number}/evidence/naive/", {
          params: { path: { book, number } },
        }),
      ),
  });

export const useWorkLeaf = (book: string, number: number) =>
  useQuery({
    queryKey: ["book", book, "entry", number, "work"],
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/entries/{number}/evidence/work/", {
          params: { path: { book, number } },
        }),
      ),
  });

/** Counters beside time, of one arm from a time on; those of the last choice stay while others are read. */
export const useCounters = (book: string, number: number, arm: "before" | "after", from_s: number) =>
  useQuery({
    queryKey: ["book", book, "entry", number, "counters", arm, from_s],
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/entries/{number}/evidence/counters/", {
          params: { path: { book, number }, query: { arm, from_s } },
        }),
      ),
  });

/** One part: both arms, over the course, over runs and over entries. */
export const usePartPage = (book: string, number: number, lane: string, path: string[]) =>
  useQuery({
    queryKey: ["book", book, "entry", number, "part", lane, path],
    retry: false,
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/entries/{number}/evidence/part/", {
          params: { path: { book, number }, query: { lane, path } },
        }),
      ),
  });

/** What late frames, or stutters, have more of. */
export const useLateFrames = (book: string, number: number, of: SetOf) =>
  useQuery({
    queryKey: ["book", book, "entry", number, "late", of],
    retry: false,
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/entries/{number}/evidence/late/", {
          params: { path: { book, number }, query: { of } },
        }),
      ),
  });
export type SetOf = "late" | "stutters";

/** What they go with: a job looks for it once, and it is read again when that is done. */
export function useGoesWith(book: string, number: number, of: SetOf, enabled: boolean) {
  const query = useQuery({
    queryKey: ["book", book, "entry", number, "goes with", of],
    enabled,
    retry: false,
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/entries/{number}/evidence/goes-with/", {
          params: { path: { book, number }, query: { of } },
        }),
      ),
  });
  const job = useJob(query.data?.job ?? undefined);
  const { refetch } = query;
  const done = job?.state === "done" && !query.data?.found;
  useEffect(() => {
    if (done) void refetch();
  }, [done, refetch]);
  return { query, job };
}

export type GainOf = "mean_ms" | "p99_ms" | "late";
/** What parts and ideas are ranked by. */
export const GAINS: readonly (readonly [GainOf, string])[] = [
  ["mean_ms", "by the mean frame"],
  ["p99_ms", "by the 99th percentile"],
  ["late", "by late frames"],
];

/** What each part would give at most. */
export const useIfFree = (book: string, number: number, arm: "before" | "after", by: GainOf) =>
  useQuery({
    queryKey: ["book", book, "entry", number, "if free", arm, by],
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/entries/{number}/evidence/if-free/", {
          params: { path: { book, number }, query: { arm, by } },
        }),
      ),
  });

/** Several parts at a share of their cost, computed together. */
export const useTogether = (book: string, number: number, body: Schemas["TogetherInRequest"]) =>
  useQuery({
    queryKey: ["book", book, "entry", number, "together", body],
    enabled: body.parts.length > 0,
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: async () =>
      data(
        await api.POST("/api/books/{book}/entries/{number}/evidence/if-free/", {
          params: { path: { book, number } },
          body,
        }),
      ),
  });

export const useRunsLeaf = (book: string, number: number) =>
  useQuery({
    queryKey: ["book", book, "entry", number, "runs"],
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/entries/{number}/evidence/runs/", {
          params: { path: { book, number } },
        }),
      ),
  });

export const useStuttersLeaf = (book: string, number: number) =>
  useQuery({
    queryKey: ["book", book, "entry", number, "stutters"],
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/entries/{number}/evidence/stutters/", {
          params: { path: { book, number } },
        }),
      ),
  });

export const useWatch = (book: string, number: number, from_s: number) =>
  useQuery({
    queryKey: ["book", book, "entry", number, "watch", from_s],
    placeholderData: keepPreviousData,
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/entries/{number}/evidence/watch/", {
          params: { path: { book, number }, query: { from_s } },
        }),
      ),
  });

const trials = (book: string, number: number) => ["book", book, "entry", number, "trials"];

export const useTrials = (book: string, number: number) =>
  useQuery({
    queryKey: trials(book, number),
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/entries/{number}/evidence/trials/", {
          params: { path: { book, number } },
        }),
      ),
  });

export const useBeginTrial = (book: string, number: number) =>
  useChange(trials(book, number), async (body: Schemas["TrialInRequest"]) =>
    data(
      await api.POST("/api/books/{book}/entries/{number}/evidence/trials/", {
        params: { path: { book, number } },
        body,
      }),
    ),
  );

export const useAnswerTrial = (book: string, number: number) =>
  useChange(
    trials(book, number),
    async ({ trial, ...body }: Schemas["AnswerInRequest"] & { trial: number }) =>
      data(
        await api.POST("/api/books/{book}/entries/{number}/evidence/trials/{trial}/", {
          params: { path: { book, number, trial } },
          body,
        }),
      ),
  );

export const useEndTrial = (book: string, number: number) =>
  useChange(trials(book, number), async (trial: number) =>
    data(
      await api.DELETE("/api/books/{book}/entries/{number}/evidence/trials/{trial}/", {
        params: { path: { book, number, trial } },
      }),
    ),
  );
