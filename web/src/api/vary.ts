import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, data, type Schemas } from "./client";
import { useChange } from "./queries";

export type SwitchedFigure = Schemas["SwitchedFigure"];

/** What each feature costs while all others are on. */
export const useSwitched = (id: string) =>
  useQuery({
    queryKey: ["recording", id, "switched"],
    retry: false,
    queryFn: async () =>
      data(
        await api.GET("/api/recordings/{recording_id}/switched/", { params: { path: { recording_id: id } } }),
      ),
  });

export type UntangledFigure = Schemas["UntangledFigure"];

/** Which of several changes helped, and by how much. */
export const useUntangled = (id: string) =>
  useQuery({
    queryKey: ["recording", id, "untangled"],
    retry: false,
    queryFn: async () =>
      data(
        await api.GET("/api/recordings/{recording_id}/untangled/", {
          params: { path: { recording_id: id } },
        }),
      ),
  });

export type RampFigure = Schemas["RampFigure"];
export type TradeFigure = Schemas["TradeFigure"];
export type MixtureFigure = Schemas["MixtureFigure"];
export type RampArm = Schemas["RampArm"];
export type KnobArm = Schemas["KnobArm"];

/** An account is read anew while its recording goes on. */
const whileRecorded = (query: { state: { data?: { recording: Schemas["RecordingLine"] } | undefined } }) =>
  query.state.data?.recording.state === "recording" ? 3_000 : (false as const);

/** How much load the budget carries, and what it would carry on another rig. */
export const useRamp = (id: string, on: string) =>
  useQuery({
    queryKey: ["recording", id, "ramp", on],
    placeholderData: keepPreviousData,
    retry: false,
    refetchInterval: whileRecorded,
    queryFn: async () =>
      data(
        await api.GET("/api/recordings/{recording_id}/ramp/", {
          params: { path: { recording_id: id }, query: on ? { on } : {} },
        }),
      ),
  });

/** What the budget carries at each richness. */
export const useTrade = (id: string) =>
  useQuery({
    queryKey: ["recording", id, "trade"],
    retry: false,
    refetchInterval: whileRecorded,
    queryFn: async () =>
      data(
        await api.GET("/api/recordings/{recording_id}/trade/", { params: { path: { recording_id: id } } }),
      ),
  });

/** Whether loads take together what they take one by one. */
export const useMixture = (id: string) =>
  useQuery({
    queryKey: ["recording", id, "mixture"],
    retry: false,
    refetchInterval: whileRecorded,
    queryFn: async () =>
      data(
        await api.GET("/api/recordings/{recording_id}/mixture/", {
          params: { path: { recording_id: id } },
        }),
      ),
  });

/** Which value of a knob is best. */
export const useKnob = (id: string) =>
  useQuery({
    queryKey: ["recording", id, "knob"],
    retry: false,
    queryFn: async () =>
      data(await api.GET("/api/recordings/{recording_id}/knob/", { params: { path: { recording_id: id } } })),
  });

/** What more cores bring. */
export const useCores = (id: string) =>
  useQuery({
    queryKey: ["recording", id, "cores"],
    retry: false,
    queryFn: async () =>
      data(
        await api.GET("/api/recordings/{recording_id}/cores/", { params: { path: { recording_id: id } } }),
      ),
  });

export type HuntFigure = Schemas["HuntFigure"];

/** With which build a change begins. */
export const useHunt = (id: string) =>
  useQuery({
    queryKey: ["recording", id, "hunt"],
    retry: false,
    refetchInterval: whileRecorded,
    queryFn: async () =>
      data(await api.GET("/api/recordings/{recording_id}/hunt/", { params: { path: { recording_id: id } } })),
  });

export type MatrixFigure = Schemas["MatrixFigure"];

/** One change over window sizes, tiers and rigs, by any recording that is a cell of it. */
export const useMatrix = (id: string) =>
  useQuery({
    queryKey: ["recording", id, "matrix"],
    retry: false,
    queryFn: async () =>
      data(
        await api.GET("/api/recordings/{recording_id}/matrix/", { params: { path: { recording_id: id } } }),
      ),
  });

export const usePlanCell = (id: string) =>
  useChange(["recording", id, "matrix"], async (body: Schemas["CellInRequest"]) =>
    data(
      await api.POST("/api/recordings/{recording_id}/matrix/", {
        params: { path: { recording_id: id } },
        body,
      }),
    ),
  );

export const usePlanMatrix = (book: string) =>
  useChange(["book", book], async (body: Schemas["MatrixInRequest"]) =>
    data(await api.POST("/api/books/{book}/matrices/", { params: { path: { book } }, body })),
  );
