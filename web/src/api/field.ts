import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, data, type Schemas } from "./client";
import { useChange } from "./queries";

/** What devices in the field report, added up: classes of them, and one class. */
export type FieldPage = Schemas["FieldPage"];
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
      const { against: _, ...query } = asked(of) as ReturnType<typeof asked> & { against?: string };
      return data(
        await api.GET("/api/books/{book}/field/classes/{key}/", { params: { path: { book, key }, query } }),
      );
    },
  });

/** Where the classes are taken out as a table. */
export const fieldAddress = (book: string, of: FieldAsked) => {
  const { against: _, ...query } = asked(of) as Record<string, string | number | boolean>;
  const search = new URLSearchParams(Object.entries(query).map(([name, value]) => [name, String(value)]));
  return `/api/books/${book}/field/taken-out/?${search}`;
};

export const useFieldSettings = (book: string) =>
  useQuery({
    queryKey: ["book", book, "field settings"],
    queryFn: async () =>
      data(await api.GET("/api/books/{book}/field/settings/", { params: { path: { book } } })),
  });

export const useSetField = (book: string) =>
  useChange(["book", book], async (body: Schemas["FieldSettingsRequest"]) =>
    data(await api.PUT("/api/books/{book}/field/settings/", { params: { path: { book } }, body })),
  );
