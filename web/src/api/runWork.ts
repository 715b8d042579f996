import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, data } from "./client";

/** Where the time of a stretch of a run goes; that of the last one stays while another is read. */
export const useRunWork = (id: string, start: number, stop: number) =>
  useQuery({
    queryKey: ["run", id, "work", start, stop],
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: async () =>
      data(
        await api.GET("/api/runs/{run_id}/work/", {
          params: { path: { run_id: id }, query: { start, stop } },
        }),
      ),
  });

/** One frame beside the typical frame around it; the one shown stays while another is read. */
export const useFramePage = (id: string, number: number) =>
  useQuery({
    queryKey: ["run", id, "frame", number],
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: async () =>
      data(
        await api.GET("/api/runs/{run_id}/frames/{number}/", { params: { path: { run_id: id, number } } }),
      ),
  });
