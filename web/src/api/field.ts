import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, data, type Schemas } from "./client";
import { useChange } from "./queries";

/** What devices in the field report, added up: classes of them, and one class. */
export type FieldPage = Schemas["FieldPage"];
export type Moves = Schemas["Moves"];
export type ClassRow = Schemas["ClassRow"];
export type ClassPage = Schemas["ClassPage"];

/** Which sessions are read; what is empty is not asked for. */
export interface FieldAsked {
  build: string;
  against: string;
  tier: string;
  place: string;
  since: string;
  until: string;
  own: boolean;
}

const asked = ({ tier, place, own, ...named }: FieldAsked) => ({
  ...Object.fromEntries(Object.entries(named).filter(([, value]) => value !== "")),
  ...(/^\d+$/.test(tier) && { tier: Number(tier) }),
  ...(/^\d+$/.test(place) && { place: Number(place) }),
  ...(own && { own }),
});

/** What a leaf needs of the filters: a build, of players or of the team. */
const alone = ({ against: _, ...query }: ReturnType<typeof asked> & { against?: string }) => query;

export const useField = (book: string, of: FieldAsked) =>
  useQuery({
    queryKey: ["book", book, "field", of],
    placeholderData: keepPreviousData,
    queryFn: async () =>
      data(await api.GET("/api/books/{book}/field/", { params: { path: { book }, query: asked(of) } })),
  });

export const useClass = (book: string, key: number, of: FieldAsked) =>
  useQuery({
    queryKey: ["book", book, "field", "class", key, of],
    placeholderData: keepPreviousData,
    queryFn: async () => {
      const query = alone(asked(of));
      return data(
        await api.GET("/api/books/{book}/field/classes/{key}/", { params: { path: { book, key }, query } }),
      );
    },
  });

export const useMoves = (book: string, of: FieldAsked) =>
  useQuery({
    queryKey: ["book", book, "field", "moves", of],
    placeholderData: keepPreviousData,
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/field/moves/", {
          params: { path: { book }, query: alone(asked(of)) },
        }),
      ),
  });

export const useBorrow = (book: string, of: FieldAsked) =>
  useQuery({
    queryKey: ["book", book, "field", "borrow", of],
    placeholderData: keepPreviousData,
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/field/borrow/", {
          params: { path: { book }, query: alone(asked(of)) },
        }),
      ),
  });

export const useReady = (book: string, build: string, scenario: string) =>
  useQuery({
    queryKey: ["book", book, "field", "ready", build, scenario],
    placeholderData: keepPreviousData,
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/field/ready/", {
          params: {
            path: { book },
            query: { ...(build && { build }), ...(/^\d+$/.test(scenario) && { scenario: Number(scenario) }) },
          },
        }),
      ),
  });

export const useDecideTier = (book: string) =>
  useChange(["book", book, "field"], async (body: Schemas["TierDecisionInRequest"]) =>
    data(await api.POST("/api/books/{book}/field/moves/", { params: { path: { book } }, body })),
  );

export const useModel = (book: string, key: number, of: FieldAsked) =>
  useQuery({
    queryKey: ["book", book, "field", "model", key, of],
    placeholderData: keepPreviousData,
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/field/models/{key}/", {
          params: { path: { book, key }, query: alone(asked(of)) },
        }),
      ),
  });

/** Where a leaf is taken out as a table. */
export const fieldAddress = (book: string, leaf: "minutes" | "moves" | "borrow", of: FieldAsked) => {
  const query: Record<string, string | number | boolean> = { ...alone(asked(of)), of: leaf };
  const search = new URLSearchParams(Object.entries(query).map(([name, value]) => [name, String(value)]));
  return `/api/books/${book}/field/taken-out/?${search}`;
};

export const useFieldSettings = (book: string) =>
  useQuery({
    queryKey: ["book", book, "field settings"],
    queryFn: async () =>
      data(await api.GET("/api/books/{book}/field/settings/", { params: { path: { book } } })),
  });

export const useSetField = (book: string) => {
  const client = useQueryClient();
  return useChange(["book", book], async (body: Schemas["FieldSettingsRequest"]) => {
    const set = data(
      await api.PUT("/api/books/{book}/field/settings/", { params: { path: { book } }, body }),
    );
    // The form that is opened again at once begins with what was just set.
    client.setQueryData(["book", book, "field settings"], set);
    return set;
  });
};
