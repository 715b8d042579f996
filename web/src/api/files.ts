import { sha256 } from "@noble/hashes/sha2.js";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useRef, useState } from "react";
import { api, data, newId, type Schemas } from "./client";
import { useChange } from "./queries";

/** Files that are brought in: sent in pieces, looked at by the server, read as is agreed. */

export type FileLine = Schemas["FileLine"];
export type BroughtFile = Schemas["BroughtFile"];
export type Look = Schemas["LookAtFile"];

/** As many bytes as the server takes at a time. */
const PIECE = 4 * 1024 * 1024;
const ASK_AGAIN_MS = 400;

const files = (book: string) => ["book", book, "files"];
const waits = (file: { state: string } | undefined) => file?.state === "looking";

export const useFiles = (book: string) =>
  useQuery({
    queryKey: files(book),
    queryFn: async () => data(await api.GET("/api/books/{book}/files/", { params: { path: { book } } })),
    refetchInterval: (query) => (query.state.data?.some(waits) ? ASK_AGAIN_MS : false),
  });

export const useFile = (book: string, id: string | undefined) =>
  useQuery({
    queryKey: [...files(book), id],
    enabled: id !== undefined,
    queryFn: async () =>
      data(
        await api.GET("/api/books/{book}/files/{file_id}/", {
          params: { path: { book, file_id: id ?? "" } },
        }),
      ),
    refetchInterval: (query) => (waits(query.state.data) ? ASK_AGAIN_MS : false),
  });

export const useSayReading = (book: string) =>
  useChange(
    files(book),
    async (body: Schemas["AskedOfFilesRequest"]) =>
      data(await api.POST("/api/books/{book}/files/reading/", { params: { path: { book } }, body })),
    `reading ${book}`,
  );

export const useTakeAway = (book: string) =>
  useChange(files(book), async (id: string) =>
    api.DELETE("/api/books/{book}/files/{file_id}/", { params: { path: { book, file_id: id } } }),
  );

export const useSaveReading = (book: string) =>
  useChange(["book", book, "readings"], async (body: Schemas["ReadingRequest"]) =>
    data(await api.POST("/api/books/{book}/readings/", { params: { path: { book } }, body })),
  );

export const useBring = (book: string) =>
  useMutation({
    mutationFn: async (body: Schemas["BringRequest"]) =>
      data(await api.POST("/api/books/{book}/bring/", { params: { path: { book } }, body })),
  });

/** A file that is being sent, or could not be. */
export interface Sending {
  key: string;
  name: string;
  share: number;
  fault?: string;
}

/** What was chosen or dropped: a file, and the folder it lay in. */
export interface Chosen {
  file: File;
  folder: string;
}

const base64 = (bytes: Uint8Array) => btoa(String.fromCharCode(...bytes));

/** What a body is known by (RFC 9530). */
export const contentDigest = (body: Uint8Array) => `sha-256=:${base64(sha256(body))}:`;

async function sendOne(
  book: string,
  { file, folder }: Chosen,
  waiting: readonly FileLine[],
  told: (share: number) => void,
  cancelled: () => boolean,
) {
  // What was cut off half way goes on where it stands.
  const begun = waiting.find(
    (f) => f.state === "receiving" && f.name === file.name && f.folder === folder && f.size === file.size,
  );
  const id = begun?.id ?? newId();
  const path = { book, file_id: id };
  let stands = data(
    await api.POST("/api/books/{book}/files/", {
      params: { path: { book } },
      body: { id, name: file.name, folder, size: file.size },
    }),
  );
  while (stands.state === "receiving") {
    if (cancelled()) {
      await api.DELETE("/api/books/{book}/files/{file_id}/", { params: { path } });
      return;
    }
    const from = stands.received ?? 0;
    const piece = await file.slice(from, from + PIECE).arrayBuffer();
    const digest = contentDigest(new Uint8Array(piece));
    stands = data(
      await api.PUT("/api/books/{book}/files/{file_id}/pieces/{number}/", {
        params: { path: { ...path, number: stands.next_piece ?? 0 }, header: { "Content-Digest": digest } },
        body: piece as unknown as string,
        bodySerializer: (body) => body as unknown as BodyInit,
        headers: { "Content-Type": "application/octet-stream" },
      }),
    );
    told((stands.received ?? 0) / file.size);
  }
}

/** Sends files one after the other; those on their way, and how to stop one. */
export function useSend(book: string) {
  const client = useQueryClient();
  const [sending, setSending] = useState<readonly Sending[]>([]);
  const stopped = useRef(new Set<string>());
  const change = useCallback((key: string, values: Partial<Sending>) => {
    setSending((all) => all.map((one) => (one.key === key ? { ...one, ...values } : one)));
  }, []);
  const drop = useCallback((key: string) => {
    stopped.current.add(key);
    setSending((all) => all.filter((one) => one.key !== key));
  }, []);
  const send = useCallback(
    async (chosen: readonly Chosen[]) => {
      const named = chosen.map((one) => ({ ...one, key: newId() }));
      setSending((all) => [
        ...all,
        ...named.map(({ key, file, folder }) => ({
          key,
          name: folder ? `${folder}/${file.name}` : file.name,
          share: 0,
        })),
      ]);
      const waiting = client.getQueryData<FileLine[]>(files(book)) ?? [];
      for (const one of named) {
        const cancelled = () => stopped.current.has(one.key);
        if (cancelled()) continue;
        if (one.file.size === 0) {
          change(one.key, { fault: "It is empty." });
          continue;
        }
        try {
          await sendOne(book, one, waiting, (share) => change(one.key, { share }), cancelled);
          drop(one.key);
        } catch (error) {
          change(one.key, { fault: error instanceof Error ? error.message : String(error) });
        }
        void client.invalidateQueries({ queryKey: files(book) });
      }
    },
    [book, client, change, drop],
  );
  return { sending, send, drop };
}
