import { useQuery } from "@tanstack/react-query";
import { api, data, type Schemas } from "./client";
import { useChange } from "./queries";

/** Rules of thumb: what is believed, and what was found when it was tried here. */
export type Rule = Schemas["RuleOfThumb"];

export const useRules = (book: string) =>
  useQuery({
    queryKey: ["book", book, "rules"],
    queryFn: async () => data(await api.GET("/api/books/{book}/rules/", { params: { path: { book } } })),
  });

export const useWriteRule = (book: string) =>
  useChange(["book", book, "rules"], async (body: Schemas["RuleInRequest"]) =>
    data(await api.POST("/api/books/{book}/rules/", { params: { path: { book } }, body })),
  );

export const useTestRule = (book: string) =>
  useChange(
    ["book", book, "rules"],
    async ({ rule, ...body }: Schemas["RuleTestInRequest"] & { rule: number }) =>
      data(
        await api.POST("/api/books/{book}/rules/{rule}/tests/", { params: { path: { book, rule } }, body }),
      ),
  );

export const useDropRule = (book: string) =>
  useChange(["book", book, "rules"], async (rule: number) =>
    api.DELETE("/api/books/{book}/rules/{rule}/", { params: { path: { book, rule } } }),
  );
