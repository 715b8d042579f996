import { keepPreviousData, useInfiniteQuery, useMutation, useQuery } from "@tanstack/react-query";
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
const groups = (book: string) => ["book", book, "groups"];
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

export const useGroups = (book: string) =>
  useQuery({
    queryKey: groups(book),
    queryFn: async () => data(await api.GET("/api/books/{book}/groups/", { params: { path: { book } } })),
  });

export const useGiveGroup = (book: string) =>
  useChange(groups(book), async (body: Schemas["GroupInRequest"]) =>
    data(await api.POST("/api/books/{book}/groups/", { params: { path: { book } }, body })),
  );

export const useTakeGroup = (book: string) =>
  useChange(groups(book), async (group: number) =>
    api.DELETE("/api/books/{book}/groups/{group}/", { params: { path: { book, group } } }),
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

/** Take what came by a revoked key of the field out of every sum. */
export const useDiscardSessions = (book: string) =>
  useChange(["book", book], async (token: number) =>
    data(
      await api.DELETE("/api/books/{book}/tokens/{token}/sessions/", { params: { path: { book, token } } }),
    ),
  );

export const useLog = (book: string, find: string) =>
  useInfiniteQuery({
    queryKey: ["book", book, "log", find],
    initialPageParam: 1,
    placeholderData: keepPreviousData,
    queryFn: async ({ pageParam }) =>
      data(
        await api.GET("/api/books/{book}/log/", {
          params: {
            path: { book },
            query: { page: pageParam, page_size: 50, ...(find && { find }) },
          },
        }),
      ),
    getNextPageParam: (last, _pages, page) => (last.next ? page + 1 : undefined),
  });

export const useSessions = () =>
  useQuery({ queryKey: ["sessions"], queryFn: async () => data(await api.GET("/api/sessions/")) });

export const useHappened = () =>
  useQuery({ queryKey: ["happened"], queryFn: async () => data(await api.GET("/api/session/happened/")) });

export const useSignOutThere = () =>
  useChange(["sessions"], async (handle: string) =>
    api.DELETE("/api/sessions/{handle}/", { params: { path: { handle } } }),
  );

export const useBeginSecondFactor = () =>
  useMutation({ mutationFn: async () => data(await api.POST("/api/session/second-factor/")) });

export const useConfirmSecondFactor = () =>
  useMutation({
    mutationFn: async (body: Schemas["CodeRequest"]) =>
      data(await api.PUT("/api/session/second-factor/", { body })),
  });

export const useTakeOffSecondFactor = () =>
  useChange(["session"], async (body: Schemas["CodeRequest"]) =>
    api.POST("/api/session/second-factor/off/", { body }),
  );

export const useSetPassword = () =>
  useChange(["session"], async (body: Schemas["PasswordInRequest"]) =>
    api.PUT("/api/session/password/", { body }),
  );

const thinning = (book: string) => ["book", book, "thinning"];

export const useThinning = (book: string) =>
  useQuery({
    queryKey: thinning(book),
    queryFn: async () => data(await api.GET("/api/books/{book}/thinning/", { params: { path: { book } } })),
  });

export const useSetThinning = (book: string) =>
  useChange(["book", book], async (body: Schemas["ThinningInRequest"]) =>
    data(await api.PUT("/api/books/{book}/thinning/", { params: { path: { book } }, body })),
  );

/** What a rule would do now, which changes nothing. */
export const useThinningDue = (book: string, rule: Schemas["ThinningInRequest"], asked: boolean) =>
  useQuery({
    queryKey: [...thinning(book), "due", rule],
    enabled: asked,
    placeholderData: keepPreviousData,
    queryFn: async () =>
      data(await api.POST("/api/books/{book}/thinning/due/", { params: { path: { book } }, body: rule })),
  });
