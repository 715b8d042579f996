import {
  keepPreviousData,
  useInfiniteQuery,
  useMutation,
  useQuery,
  useQueryClient,
} from "@tanstack/react-query";
import { api, data, type Schemas } from "./client";

export const useSession = () =>
  useQuery({
    queryKey: ["session"],
    queryFn: async () => data(await api.GET("/api/session/")),
    retry: false,
    staleTime: 60_000,
  });

export const useStanding = (book: string) =>
  useQuery({
    queryKey: ["book", book, "standing"],
    queryFn: async () => data(await api.GET("/api/books/{book}/standing/", { params: { path: { book } } })),
  });

export const useEntries = (book: string, find: string) =>
  useInfiniteQuery({
    queryKey: ["book", book, "entries", find],
    initialPageParam: 1,
    placeholderData: keepPreviousData,
    queryFn: async ({ pageParam }) =>
      data(
        await api.GET("/api/books/{book}/entries/", {
          params: { path: { book }, query: { find: find || undefined, page: pageParam } },
        }),
      ),
    getNextPageParam: (last, _pages, page) => (last.next ? page + 1 : undefined),
  });

export const useEntry = (book: string, number: number) =>
  useQuery({
    queryKey: ["book", book, "entry", number],
    queryFn: async () =>
      data(await api.GET("/api/books/{book}/entries/{number}/", { params: { path: { book, number } } })),
  });

export function useOpenEntry(book: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (body: Schemas["EntryInRequest"]) =>
      data(await api.POST("/api/books/{book}/entries/", { params: { path: { book } }, body })),
    onSuccess: () => client.invalidateQueries({ queryKey: ["book", book] }),
  });
}

export function useDecide(book: string, number: number) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (body: Schemas["DecisionInRequest"]) =>
      data(
        await api.POST("/api/books/{book}/entries/{number}/decisions/", {
          params: { path: { book, number } },
          body,
        }),
      ),
    onSuccess: () => client.invalidateQueries({ queryKey: ["book", book] }),
  });
}

export function useSignIn() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (body: Schemas["SignInRequest"]) =>
      data(await api.POST("/api/session/sign-in/", { body })),
    onSuccess: () => client.invalidateQueries(),
  });
}

export const useRuns = (book: string) =>
  useInfiniteQuery({
    queryKey: ["book", book, "runs"],
    initialPageParam: 1,
    queryFn: async ({ pageParam }) =>
      data(await api.GET("/api/runs/", { params: { query: { book, page: pageParam } } })),
    getNextPageParam: (last, _pages, page) => (last.next ? page + 1 : undefined),
  });

export const useRun = (id: string) =>
  useQuery({
    queryKey: ["run", id],
    queryFn: async () => data(await api.GET("/api/runs/{run_id}/", { params: { path: { run_id: id } } })),
  });

export const useTrace = (id: string, start: number, stop: number, enabled: boolean) =>
  useQuery({
    queryKey: ["run", id, "trace", start, stop],
    enabled,
    staleTime: Number.POSITIVE_INFINITY,
    placeholderData: keepPreviousData,
    queryFn: async () =>
      data(
        await api.GET("/api/runs/{run_id}/trace/", {
          params: { path: { run_id: id }, query: { start, stop } },
        }),
      ),
  });
