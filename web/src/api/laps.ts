import { useQuery } from "@tanstack/react-query";
import { api, data, type Schemas } from "./client";
import { useChange } from "./queries";

export type LapSheet = Schemas["LapSheet"];

/** Routines that were timed by themselves, the newest first. */
export const useLaps = (book: string) =>
  useQuery({
    queryKey: ["book", book, "laps"],
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/laps/", { params: { path: { book }, query: { page_size: 1000 } } }),
      ),
  });

export const useLapSheet = (book: string, key: number) =>
  useQuery({
    queryKey: ["book", book, "laps", key],
    retry: false,
    queryFn: async () =>
      data(await api.GET("/api/books/{book}/laps/{key}/", { params: { path: { book, key } } })),
  });

export const useKeepLaps = (book: string) =>
  useChange(["book", book, "laps"], async (body: Schemas["LapSheetInRequest"]) =>
    data(await api.POST("/api/books/{book}/laps/", { params: { path: { book } }, body })),
  );

export const useJoinLaps = (book: string, key: number) =>
  useChange(["book", book, "laps"], async (body: Schemas["LapJoinRequest"]) =>
    data(await api.PUT("/api/books/{book}/laps/{key}/", { params: { path: { book, key } }, body })),
  );

export const useDropLaps = (book: string, key: number) =>
  useChange(["book", book, "laps"], async () => {
    await api.DELETE("/api/books/{book}/laps/{key}/", { params: { path: { book, key } } });
  });
