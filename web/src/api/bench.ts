/** The Bench: recordings planned and under way, recorders that stand by, what is asked of them. */

import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, data, type Schemas } from "./client";
import { useChange } from "./queries";

export const useStandbys = (book: string) =>
  useQuery({
    queryKey: ["book", book, "standby"],
    queryFn: async () => data(await api.GET("/api/books/{book}/standby/", { params: { path: { book } } })),
    refetchInterval: 5_000,
  });

/** Rigs of the book: their recorders, their timings, what waits for them. */
export const useRigs = (book: string) =>
  useQuery({
    queryKey: ["book", book, "rigs"],
    queryFn: async () => data(await api.GET("/api/books/{book}/rigs/", { params: { path: { book } } })),
    refetchInterval: 5_000,
  });

export const useReserve = (book: string) =>
  useChange(["book", book, "rigs"], async (body: Schemas["ReserveRequest"]) =>
    data(await api.POST("/api/books/{book}/rigs/reserved/", { params: { path: { book } }, body })),
  );

export const useGiveBack = (book: string) =>
  useChange(["book", book, "rigs"], async (reserved: number) =>
    data(
      await api.DELETE("/api/books/{book}/rigs/reserved/{reserved}/", {
        params: { path: { book, reserved } },
      }),
    ),
  );

/** The programs that a plan can name, with the arguments they were last started with. */
export const useSubjects = (book: string) =>
  useQuery({
    queryKey: ["book", book, "subjects"],
    queryFn: async () => data(await api.GET("/api/books/{book}/subjects/", { params: { path: { book } } })),
  });

/** The plan of an earlier recording; "" asks for none. */
export const usePlanOf = (id: string) =>
  useQuery({
    queryKey: ["recording", id, "plan"],
    enabled: id !== "",
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async () =>
      data(await api.GET("/api/recordings/{recording_id}/plan/", { params: { path: { recording_id: id } } })),
  });

export type Purpose = "entry" | "account" | "line";

/** Recordings for some purposes, newest first; they go on while one looks. */
export const useRecordings = (book: string, purpose: Purpose[]) =>
  useQuery({
    queryKey: ["book", book, "recordings", ...purpose],
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/recordings/", {
          params: { path: { book }, query: { purpose, page_size: 100 } },
        }),
      ),
    refetchInterval: 5_000,
  });

export const useRecording = (id: string) =>
  useQuery({
    queryKey: ["recording", id],
    refetchInterval: (query) => (query.state.data?.state === "recording" ? 10_000 : false),
    queryFn: async () =>
      data(await api.GET("/api/recordings/{recording_id}/", { params: { path: { recording_id: id } } })),
  });

export const usePlanRecording = (book: string) =>
  useChange(["book", book], async (body: Schemas["PlanInRequest"]) =>
    data(await api.POST("/api/books/{book}/recordings/", { params: { path: { book } }, body })),
  );

export function useControl(id: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (control: Schemas["ControlRequest"]["control"]) =>
      data(
        await api.POST("/api/recordings/{recording_id}/control/", {
          params: { path: { recording_id: id } },
          body: { control },
        }),
      ),
    onSuccess: (recording) => client.setQueryData(["recording", id], recording),
  });
}

export const useSetMark = (id: string) =>
  useMutation({
    mutationFn: async (name: string) =>
      api.POST("/api/recordings/{recording_id}/marks/", {
        params: { path: { recording_id: id } },
        body: { name },
      }),
  });
