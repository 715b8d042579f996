import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, data, type Schemas } from "./client";
import { useChange } from "./queries";

export type InventoryPage = Schemas["Inventory"];
export type InventoryLine = Schemas["InventoryLine"];

/** What builds are made of, the newest first. */
export const useInventories = (book: string) =>
  useQuery({
    queryKey: ["book", book, "inventories"],
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/inventories/", {
          params: { path: { book }, query: { page_size: 1000 } },
        }),
      ),
  });

export const useInventory = (book: string, key: number, total: string, against: number | null) =>
  useQuery({
    queryKey: ["book", book, "inventories", key, total, against],
    enabled: key > 0,
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/inventories/{key}/", {
          params: {
            path: { book, key },
            query: { ...(total && { total }), ...(against !== null && { against }) },
          },
        }),
      ),
  });

export const useTakeInventory = (book: string) =>
  useChange(["book", book, "inventories"], async (body: Schemas["InventoryInRequest"]) =>
    data(await api.POST("/api/books/{book}/inventories/", { params: { path: { book } }, body })),
  );

export const useTotals = (book: string) =>
  useQuery({
    queryKey: ["book", book, "inventories", "totals"],
    queryFn: async () => data(await api.GET("/api/books/{book}/totals/", { params: { path: { book } } })),
  });

export const useSetTotal = (book: string) =>
  useChange(["book", book, "inventories"], async (body: Schemas["TotalInRequest"]) =>
    data(await api.POST("/api/books/{book}/totals/", { params: { path: { book } }, body })),
  );
