import { useQuery } from "@tanstack/react-query";
import { api, data, type Schemas } from "./client";

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
