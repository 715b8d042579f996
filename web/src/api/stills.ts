import { useQuery } from "@tanstack/react-query";
import { api, data, type Schemas } from "./client";
import { contentDigest } from "./files";
import { useChange } from "./queries";

/** Pictures of both arms, what is known of them and what people saw. */

export type Stills = Schemas["Stills"];
export type ComparedStill = Schemas["ComparedStill"];
export type StillSequence = Schemas["StillSequence"];
const ASK_AGAIN_MS = 700;

const leaf = (book: string, number: number) => ["book", book, "entry", number];

export const useStillsLeaf = (book: string, number: number) =>
  useQuery({
    queryKey: [...leaf(book, number), "stills"],
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/entries/{number}/evidence/stills/", {
          params: { path: { book, number } },
        }),
      ),
    refetchInterval: (query) => (query.state.data?.pending ? ASK_AGAIN_MS : false),
  });

export const useRuleOnStill = (book: string, number: number) =>
  useChange(leaf(book, number), async (body: Schemas["StillRulingInRequest"]) =>
    data(
      await api.POST("/api/books/{book}/entries/{number}/evidence/stills/rulings/", {
        params: { path: { book, number } },
        body,
      }),
    ),
  );

export const useMaskStill = (book: string, number: number) =>
  useChange(leaf(book, number), async (body: Schemas["StillMaskInRequest"]) =>
    data(
      await api.POST("/api/books/{book}/entries/{number}/evidence/stills/masks/", {
        params: { path: { book, number } },
        body,
      }),
    ),
  );

export const useUnmaskStill = (book: string, number: number) =>
  useChange(leaf(book, number), async (mask: number) =>
    data(
      await api.DELETE("/api/books/{book}/entries/{number}/evidence/stills/masks/{mask}/", {
        params: { path: { book, number, mask } },
      }),
    ),
  );

interface Put {
  run: string;
  file: File;
  name: string;
  leg: string;
}

export const usePutStill = (book: string, number: number) =>
  useChange(leaf(book, number), async ({ run, file, name, leg }: Put) => {
    const body = new Uint8Array(await file.arrayBuffer());
    return data(
      await api.PUT("/api/runs/{run_id}/stills/{name}/", {
        params: {
          path: { run_id: run, name },
          query: { leg },
          header: { "Content-Digest": contentDigest(body) },
        },
        // Bytes, whatever the schema's writer makes of them.
        body: body as unknown as string,
        bodySerializer: (bytes: unknown) => bytes as BodyInit,
        headers: { "Content-Type": "application/octet-stream" },
      }),
    );
  });

export const pictureAddress = (run: string, name: string) =>
  `/api/runs/${run}/stills/${encodeURIComponent(name)}/`;

/** The picture of a difference; asked for anew where what may differ has changed. */
export const differenceAddress = (book: string, number: number, still: ComparedStill) =>
  `/api/books/${book}/entries/${number}/evidence/stills/difference/?${new URLSearchParams({
    name: still.name,
    leg: still.leg,
    of: still.masks.map((mask) => mask.id).join("-"),
  })}`;
