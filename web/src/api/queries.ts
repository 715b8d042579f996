import {
  keepPreviousData,
  type QueryKey,
  useInfiniteQuery,
  useMutation,
  useQuery,
  useQueryClient,
} from "@tanstack/react-query";
import { useEffect } from "react";
import { sessionEnded } from "../app/session";
import { draftsAreOf, dropAllDrafts } from "../form/drafts";
import { api, data, type Job, type Schemas } from "./client";
import type { paths } from "./schema";

export const useSession = () =>
  useQuery({
    queryKey: ["session"],
    queryFn: async () => {
      const session = data(await api.GET("/api/session/"));
      draftsAreOf(session.user);
      return session;
    },
    retry: false,
    staleTime: 60_000,
  });

/** How one can sign in here. */
export const useWays = () =>
  useQuery({
    queryKey: ["ways"],
    queryFn: async () => data(await api.GET("/api/session/ways/")),
    staleTime: Number.POSITIVE_INFINITY,
  });

/** Asked again while a goal is still being read from the runs behind it. */
const whileRead = (shown: { goals: readonly { pending: boolean }[] } | undefined) =>
  shown?.goals.some((goal) => goal.pending) ? 1000 : false;

export const useStanding = (book: string, line: string) =>
  useQuery({
    queryKey: ["book", book, "standing", line],
    placeholderData: keepPreviousData,
    refetchInterval: (query) => whileRead(query.state.data),
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/standing/", {
          params: { path: { book }, query: { line: line || undefined } },
        }),
      ),
  });

type EntryFilters = NonNullable<paths["/api/books/{book}/entries/"]["get"]["parameters"]["query"]>;
type RunFilters = NonNullable<paths["/api/runs/"]["get"]["parameters"]["query"]>;

/** Without what is not asked for. */
const given = <T extends object>(filters: T): T =>
  Object.fromEntries(Object.entries(filters).filter(([, value]) => value !== "" && value !== undefined)) as T;

export const useEntries = (book: string, filters: EntryFilters) =>
  useInfiniteQuery({
    queryKey: ["book", book, "entries", given(filters)],
    initialPageParam: 1,
    placeholderData: keepPreviousData,
    queryFn: async ({ pageParam }) =>
      data(
        await api.GET("/api/books/{book}/entries/", {
          params: { path: { book }, query: { ...given(filters), page: pageParam } },
        }),
      ),
    getNextPageParam: (last, _pages, page) => (last.next ? page + 1 : undefined),
  });

export const useEntry = (book: string, number: number, enabled = true) =>
  useQuery({
    queryKey: ["book", book, "entry", number],
    enabled,
    refetchInterval: (query) => whileRead(query.state.data),
    queryFn: async () =>
      data(await api.GET("/api/books/{book}/entries/{number}/", { params: { path: { book, number } } })),
  });

/** A change, and what has to be read again after it. Those of one `turn` are sent one after the other: the last said is
 * the last that arrives. */
export function useChange<T, A>(key: QueryKey, change: (values: T) => Promise<A>, turn?: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: change,
    ...(turn !== undefined && { scope: { id: turn } }),
    // Not waited for: a page that follows reads what it needs itself.
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: key });
    },
  });
}

export const useOpenEntry = (book: string) =>
  useChange(["book", book], async (body: Schemas["EntryInRequest"]) =>
    data(await api.POST("/api/books/{book}/entries/", { params: { path: { book } }, body })),
  );

export const useCorrect = (book: string, number: number) =>
  useChange(["book", book], async (body: Schemas["PatchedCorrectionInRequest"]) =>
    data(
      await api.PATCH("/api/books/{book}/entries/{number}/", { params: { path: { book, number } }, body }),
    ),
  );

export const useDecide = (book: string, number: number) =>
  useChange(["book", book], async (body: Schemas["DecisionInRequest"]) =>
    data(
      await api.POST("/api/books/{book}/entries/{number}/decisions/", {
        params: { path: { book, number } },
        body,
      }),
    ),
  );

export const useFile = (book: string, number: number) =>
  useChange(["book", book], async (body: Schemas["FilingInRequest"]) =>
    data(
      await api.PUT("/api/books/{book}/entries/{number}/filing/", {
        params: { path: { book, number } },
        body,
      }),
    ),
  );

/** The labels that entries of the book are filed under. */
export const useLabels = (book: string) =>
  useQuery({
    queryKey: ["book", book, "labels"],
    queryFn: async () => data(await api.GET("/api/books/{book}/labels/", { params: { path: { book } } })),
  });

/** The entries of a view as a table; filters as of the list. */
export const entriesAddress = (book: string, filters: EntryFilters, kind: "csv" | "json") =>
  `/api/books/${book}/entries/taken-out/?${new URLSearchParams(
    Object.entries({ ...given(filters), as: kind }).map(([name, value]) => [name, String(value)]),
  )}`;

export const useWithdraw = (book: string, number: number) =>
  useChange(["book", book], async (body: Schemas["WithdrawalInRequest"]) =>
    data(
      await api.POST("/api/books/{book}/entries/{number}/withdrawals/", {
        params: { path: { book, number } },
        body,
      }),
    ),
  );

export function useSignIn() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (body: Schemas["SignInRequest"]) =>
      data(await api.POST("/api/session/sign-in/", { body })),
    onSuccess: () => {
      sessionEnded(false);
      return client.invalidateQueries();
    },
  });
}

export function useSignOut() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async () => api.DELETE("/api/session/"),
    onSuccess: () => {
      client.clear();
      dropAllDrafts();
      // Anew, so that nothing of the session is left in the window.
      window.location.assign("/");
    },
  });
}

export const useRuns = (book: string, filters: RunFilters) =>
  useInfiniteQuery({
    queryKey: ["book", book, "runs", given(filters)],
    initialPageParam: 1,
    placeholderData: keepPreviousData,
    queryFn: async ({ pageParam }) =>
      data(await api.GET("/api/runs/", { params: { query: { ...given(filters), book, page: pageParam } } })),
    getNextPageParam: (last, _pages, page) => (last.next ? page + 1 : undefined),
  });

export const useRun = (id: string) =>
  useQuery({
    queryKey: ["run", id],
    queryFn: async () => data(await api.GET("/api/runs/{run_id}/", { params: { path: { run_id: id } } })),
  });

/** Runs are set aside or taken back: lists, the runs themselves and the entries that rest on them say so. */
export function useAside(book: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (body: Schemas["AsideInRequest"]) =>
      data(await api.POST("/api/books/{book}/runs/aside/", { params: { path: { book } }, body })),
    onSuccess: async () => {
      await client.invalidateQueries({ queryKey: ["run"], predicate: (q) => q.queryKey.length === 2 });
      await client.invalidateQueries({ queryKey: ["book", book] });
    },
  });
}

/** What a purge would delete: asked anew each time, since it changes. */
export const usePurgeOfRuns = (book: string) =>
  useChange(["book", book], async (body: Schemas["RunsPurgeInRequest"]) =>
    data(await api.POST("/api/books/{book}/runs/purge/", { params: { path: { book } }, body })),
  );

export const usePurgeOfEntry = (book: string, number: number) =>
  useChange(["book", book, "entries"], async (body: Schemas["EntryPurgeInRequest"]) =>
    data(
      await api.POST("/api/books/{book}/entries/{number}/purge/", {
        params: { path: { book, number } },
        body,
      }),
    ),
  );

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

/** Another run over the same time since its start. */
export const useUnder = (id: string, from_s: number, to_s: number) =>
  useQuery({
    queryKey: ["run", id, "trace by time", from_s, to_s],
    enabled: id !== "" && to_s > from_s,
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
    placeholderData: (before, query) => (query?.queryKey[1] === id ? before : undefined),
    queryFn: async () =>
      data(
        await api.GET("/api/runs/{run_id}/trace/", {
          params: { path: { run_id: id }, query: { from_s, to_s } },
        }),
      ),
  });

/** The parts of one frame. */
export const useFrameParts = (id: string, frame: number, enabled: boolean) =>
  useQuery({
    queryKey: ["run", id, "parts", frame],
    enabled,
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async () =>
      data(
        await api.GET("/api/runs/{run_id}/parts/", {
          params: { path: { run_id: id }, query: { start: frame, stop: frame + 1 } },
        }),
      ),
  });

/** What the parts of a run took in all. */
export const useRunParts = (id: string) =>
  useQuery({
    queryKey: ["run", id, "parts"],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async () =>
      data(await api.GET("/api/runs/{run_id}/parts/", { params: { path: { run_id: id } } })),
  });

export const useScenarios = (book: string) =>
  useQuery({
    queryKey: ["book", book, "scenarios"],
    queryFn: async () => data(await api.GET("/api/books/{book}/scenarios/", { params: { path: { book } } })),
  });

export const useScenario = (book: string, scenario: number) =>
  useQuery({
    queryKey: ["book", book, "scenario", scenario],
    enabled: scenario > 0,
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/scenarios/{scenario}/", { params: { path: { book, scenario } } }),
      ),
  });

/** What the bench sees with a scenario; `wanted` is a change as a share, or as frames a second, and asks for the runs it needs. */
export const usePlanner = (
  book: string,
  scenario: number,
  wanted: { wanted?: number; wanted_fps?: number },
) =>
  useQuery({
    queryKey: ["book", book, "planner", scenario, wanted],
    placeholderData: keepPreviousData,
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/scenarios/{scenario}/planner/", {
          params: { path: { book, scenario }, query: wanted },
        }),
      ),
  });

export const useWriteScenario = (book: string) =>
  useChange(["book", book], async (body: Schemas["ScenarioInRequest"]) =>
    data(await api.POST("/api/books/{book}/scenarios/", { params: { path: { book } }, body })),
  );

export function useCancelJob() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (job: string) =>
      data(await api.POST("/api/jobs/{job_id}/cancel/", { params: { path: { job_id: job } } })),
    onSuccess: (job) => client.setQueryData(["job", job.id], job),
    onSettled: () => client.invalidateQueries({ queryKey: ["recording"] }),
  });
}

/** A job as it goes, from where it was begun; it comes by events until it is over. */
export function useJob(begun: Job | undefined): Job | undefined {
  const client = useQueryClient();
  const id = begun?.id;
  const { data: now, refetch } = useQuery<Job>({
    queryKey: ["job", id],
    enabled: false,
    queryFn: async () =>
      data(await api.GET("/api/jobs/{job_id}/", { params: { path: { job_id: id ?? "" } } })),
  });
  const job = now?.id === id ? (now ?? begun) : begun;
  const going = job?.state === "waiting" || job?.state === "running";
  useEffect(() => {
    if (!id || !going) return;
    const source = new EventSource(`/api/jobs/${id}/events/`);
    source.addEventListener("job", (event) => {
      client.setQueryData(["job", id], JSON.parse((event as MessageEvent<string>).data));
    });
    // Where events do not come through, it is asked for.
    source.addEventListener("error", () => void refetch());
    return () => source.close();
  }, [id, going, client, refetch]);
  return job;
}

export const useGoals = (book: string, scenario: number, enabled = true) =>
  useQuery({
    queryKey: ["book", book, "goals", scenario],
    enabled,
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/scenarios/{scenario}/goals/", {
          params: { path: { book, scenario } },
        }),
      ),
  });

// Entries and the ledger are judged by a scenario's goals, so all of the book is read again.

export const useSetGoal = (book: string, scenario: number) =>
  useChange(["book", book], async (body: Schemas["GoalInRequest"]) =>
    data(
      await api.POST("/api/books/{book}/scenarios/{scenario}/goals/", {
        params: { path: { book, scenario } },
        body,
      }),
    ),
  );

export const useMoveGoal = (book: string) =>
  useChange(["book", book], async ({ goal, ...body }: Schemas["MoveInRequest"] & { goal: number }) =>
    data(await api.POST("/api/books/{book}/goals/{goal}/moves/", { params: { path: { book, goal } }, body })),
  );

export const useDropGoal = (book: string) =>
  useChange(["book", book], async (goal: number) =>
    data(await api.DELETE("/api/books/{book}/goals/{goal}/moves/", { params: { path: { book, goal } } })),
  );

/** Arms set side by side: the job that does it, and what it found. */
export function useArms(book: string, asked: Schemas["ArmsInRequest"]) {
  const begun = useQuery({
    queryKey: ["arms", book, asked],
    enabled: asked.arms.length > 1,
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async () =>
      data(await api.POST("/api/books/{book}/arms/", { params: { path: { book } }, body: asked })),
  });
  const job = useJob(begun.data);
  const id = job?.id ?? "";
  const found = useQuery({
    queryKey: ["arms", book, "found", id],
    enabled: job?.state === "done",
    staleTime: Number.POSITIVE_INFINITY,
    placeholderData: keepPreviousData,
    queryFn: async () =>
      data(await api.GET("/api/books/{book}/arms/{job_id}/", { params: { path: { book, job_id: id } } })),
  });
  return { begun, job, found };
}

export const useChain = (book: string, entry: number[], total: number | undefined) =>
  useQuery({
    queryKey: ["book", book, "chain", entry, total],
    enabled: entry.length > 1,
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/chain/", { params: { path: { book }, query: { entry, total } } }),
      ),
  });

/** Two arms are written into the ledger; the answer is the job that does it. */
export const useKeepPair = (book: string) =>
  useMutation({
    mutationFn: async (body: Schemas["ComparisonInRequest"]) =>
      data(await api.POST("/api/books/{book}/comparisons/", { params: { path: { book } }, body })),
  });

export const useClaim = (book: string, number: number, say: string) =>
  useQuery({
    queryKey: ["claim", book, number, say],
    enabled: say !== "",
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/entries/{number}/claim/", {
          params: { path: { book, number }, query: { say } },
        }),
      ),
  });

/** The figures to choose from, as the server calls them. */
export const useFigures = () =>
  useQuery({
    queryKey: ["figures"],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async () => data(await api.GET("/api/figures/")),
  });
