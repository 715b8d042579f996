import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, data, type Schemas } from "./client";
import { useChange } from "./queries";

/** The line over builds: in short for a book, whole for a scenario on a rig. */
export type ShortLine = Schemas["ShortLine"];
export type LinePage = Schemas["LinePage"];
export type DrawnLine = Schemas["DrawnLine"];
export type LinePoint = Schemas["LinePoint"];
export type Alarm = Schemas["Alarm"];

export const useLines = (book: string, scenario?: number) =>
  useQuery({
    queryKey: ["book", book, "trend", "lines", scenario],
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/trend/", {
          params: { path: { book }, query: scenario === undefined ? {} : { scenario } },
        }),
      ),
  });

interface Asked {
  scenario: number;
  rig: number;
  figure: string;
  /** Of several lines on one rig; null: the one with the newest build. */
  chain: number | null;
}

export const useLine = (book: string, { scenario, rig, figure, chain }: Asked) =>
  useQuery({
    queryKey: ["book", book, "trend", scenario, rig, figure, chain],
    placeholderData: keepPreviousData,
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/trend/{scenario}/{rig}/", {
          params: {
            path: { book, scenario, rig },
            query: { ...(figure && { figure }), ...(chain !== null && { chain }) },
          },
        }),
      ),
  });

/** Where a line is taken out whole. */
export const lineAddress = (
  book: string,
  scenario: number,
  rig: number,
  chain: number,
  kind: "csv" | "json",
) => `/api/books/${book}/trend/${scenario}/${rig}/taken-out/?chain=${chain}&as=${kind}`;

export const useExplainAlarm = (book: string) =>
  useChange(["book", book], async ({ alarm, why }: { alarm: number; why: string }) =>
    data(
      await api.POST("/api/books/{book}/alarms/{alarm}/explained/", {
        params: { path: { book, alarm } },
        body: { why },
      }),
    ),
  );

export const useEntryOfAlarm = (book: string) =>
  useChange(["book", book], async (alarm: number) =>
    data(await api.POST("/api/books/{book}/alarms/{alarm}/entry/", { params: { path: { book, alarm } } })),
  );

export const useFollow = (book: string, scenario: number) =>
  useChange(["book", book], async (body: Schemas["FollowingRequest"]) =>
    data(
      await api.PUT("/api/books/{book}/scenarios/{scenario}/following/", {
        params: { path: { book, scenario } },
        body,
      }),
    ),
  );

export const useFollowing = (book: string, scenario: number) =>
  useQuery({
    queryKey: ["book", book, "following", scenario],
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/scenarios/{scenario}/following/", {
          params: { path: { book, scenario } },
        }),
      ),
  });

export const useOrder = (book: string) =>
  useQuery({
    queryKey: ["book", book, "builds"],
    queryFn: async () => data(await api.GET("/api/books/{book}/builds/", { params: { path: { book } } })),
  });

export const useSetOrder = (book: string) =>
  useChange(["book", book], async (body: Schemas["OrderInRequest"]) =>
    data(await api.POST("/api/books/{book}/builds/", { params: { path: { book } }, body })),
  );

export const useMoveBuild = (book: string) =>
  useChange(["book", book], async (body: Schemas["MoveBuildRequest"]) =>
    data(await api.POST("/api/books/{book}/builds/move/", { params: { path: { book } }, body })),
  );

/** The page of the line that a recording of one build belongs to. */
export const useLineOf = (recording: string) =>
  useQuery({
    queryKey: ["recording", recording, "line"],
    retry: false,
    queryFn: async () =>
      data(
        await api.GET("/api/recordings/{recording_id}/line/", {
          params: { path: { recording_id: recording } },
        }),
      ),
  });
