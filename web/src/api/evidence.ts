import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, data, type Schemas } from "./client";
import { useChange } from "./queries";

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
