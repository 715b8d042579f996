import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { api, data, type Schemas } from "./client";
import { useChange } from "./queries";

/** Books, who may do what in them, recorders' tokens, and one's own sessions. */

export const useMakeBook = () =>
  useChange(["session"], async (body: Schemas["BookInRequest"]) =>
    data(await api.POST("/api/books/", { body })),
  );

export const useRenameBook = (book: string) =>
  useChange(["session"], async (body: Schemas["BookInRequest"]) =>
    data(await api.PUT("/api/books/{book}/", { params: { path: { book } }, body })),
  );

const members = (book: string) => ["book", book, "members"];
const tokens = (book: string) => ["book", book, "tokens"];

export const useMembers = (book: string) =>
  useQuery({
    queryKey: members(book),
    queryFn: async () => data(await api.GET("/api/books/{book}/members/", { params: { path: { book } } })),
  });

export const useAddMember = (book: string) =>
  useChange(members(book), async (body: Schemas["MemberInRequest"]) =>
    data(await api.POST("/api/books/{book}/members/", { params: { path: { book } }, body })),
  );

export const useGiveRole = (book: string) =>
  useChange(members(book), async ({ member, role }: Schemas["RoleInRequest"] & { member: number }) =>
    data(
      await api.PUT("/api/books/{book}/members/{member}/", {
        params: { path: { book, member } },
        body: { role },
      }),
    ),
  );

export const useTakeOut = (book: string) =>
  useChange(members(book), async (member: number) =>
    api.DELETE("/api/books/{book}/members/{member}/", { params: { path: { book, member } } }),
  );

export const useLinkAgain = (book: string) =>
  useChange(members(book), async (member: number) =>
    data(await api.POST("/api/books/{book}/members/{member}/link/", { params: { path: { book, member } } })),
  );

export const useTokens = (book: string) =>
  useQuery({
    queryKey: tokens(book),
    queryFn: async () => data(await api.GET("/api/books/{book}/tokens/", { params: { path: { book } } })),
  });

export const useIssueToken = (book: string) =>
  useChange(tokens(book), async (body: Schemas["TokenInRequest"]) =>
    data(await api.POST("/api/books/{book}/tokens/", { params: { path: { book } }, body })),
  );

export const useRevokeToken = (book: string) =>
  useChange(tokens(book), async (token: number) =>
    data(await api.DELETE("/api/books/{book}/tokens/{token}/", { params: { path: { book, token } } })),
  );

export const useLog = (book: string) =>
  useInfiniteQuery({
    queryKey: ["book", book, "log"],
    initialPageParam: 1,
    queryFn: async ({ pageParam }) =>
      data(
        await api.GET("/api/books/{book}/log/", {
          params: { path: { book }, query: { page: pageParam, page_size: 50 } },
        }),
      ),
    getNextPageParam: (last, _pages, page) => (last.next ? page + 1 : undefined),
  });

export const useSessions = () =>
  useQuery({ queryKey: ["sessions"], queryFn: async () => data(await api.GET("/api/sessions/")) });

export const useSignOutThere = () =>
  useChange(["sessions"], async (handle: string) =>
    api.DELETE("/api/sessions/{handle}/", { params: { path: { handle } } }),
  );

export const useSetPassword = () =>
  useChange(["session"], async (body: Schemas["PasswordInRequest"]) =>
    api.PUT("/api/session/password/", { body }),
  );
