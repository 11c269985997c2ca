import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Rule, take } from "../../api/client";

const keys = {
  users: ["users"] as const,
  roles: ["roles"] as const,
  sessions: ["sessions"] as const,
  meanings: ["right-meanings"] as const,
  tokens: (user: string) => ["tokens", user] as const,
  audit: (user: string, text: string, limit: number) => ["audit", user, text, limit] as const,
};

export const useUsers = () => useQuery({ queryKey: keys.users, queryFn: () => take(api.GET("/api/v1/users")) });

export const useRoles = () => useQuery({ queryKey: keys.roles, queryFn: () => take(api.GET("/api/v1/roles")) });

export const useMeanings = () =>
  useQuery({ queryKey: keys.meanings, queryFn: () => take(api.GET("/api/v1/right-meanings")), staleTime: Infinity });

/** The tokens of a user, or with "" one's own. */
export const useTokens = (user: string) =>
  useQuery({
    queryKey: keys.tokens(user),
    queryFn: () =>
      user
        ? take(api.GET("/api/v1/users/{name}/tokens", { params: { path: { name: user } } }))
        : take(api.GET("/api/v1/tokens")),
  });

export const useSessions = () =>
  useQuery({ queryKey: keys.sessions, queryFn: () => take(api.GET("/api/v1/sessions")), staleTime: 0 });

export const useEndSession = () =>
  useChange((id: string) => take(api.DELETE("/api/v1/sessions/{id}", { params: { path: { id } } })));

export const useAudit = (user: string, text: string, limit: number) =>
  useQuery({
    queryKey: keys.audit(user, text, limit),
    queryFn: () => take(api.GET("/api/v1/audit", { params: { query: { user, text, limit } } })),
    placeholderData: (old) => old,
    staleTime: 0,
  });

export const useVerdict = () => useMutation({ mutationFn: () => take(api.GET("/api/v1/audit/verdict")) });

/** A change of who may do what, after which all that was read of it is old. */
function useChange<T, R>(f: (arg: T) => Promise<R>) {
  const qc = useQueryClient();
  return useMutation({ mutationFn: f, onSuccess: () => qc.invalidateQueries() });
}

type UserBody = { full_name: string; role: string; only?: string; mail?: string };

const of = (name: string) => ({ params: { path: { name } } });

export const useMakeUser = () =>
  useChange((body: UserBody & { name: string; password?: string; radius?: boolean }) =>
    take(api.POST("/api/v1/users", { body })),
  );

export const usePutUser = () =>
  useChange(({ name, body }: { name: string; body: UserBody }) =>
    take(api.PUT("/api/v1/users/{name}", { ...of(name), body })),
  );

export const useRemoveUser = () => useChange((name: string) => take(api.DELETE("/api/v1/users/{name}", of(name))));

export const useResetPassword = () =>
  useChange(({ name, password }: { name: string; password: string }) =>
    take(api.PUT("/api/v1/users/{name}/password", { ...of(name), body: { password } })),
  );

export const useOwnPassword = () =>
  useChange((body: { old: string; password: string }) => take(api.PUT("/api/v1/session/password", { body })));

export const useMakeToken = () =>
  useChange((body: { label: string; read_only: boolean; days: number }) => take(api.POST("/api/v1/tokens", { body })));

export const useDropToken = () =>
  useChange(({ user, id }: { user: string; id: number }) =>
    user
      ? take(api.DELETE("/api/v1/users/{name}/tokens/{id}", { params: { path: { name: user, id } } }))
      : take(api.DELETE("/api/v1/tokens/{id}", { params: { path: { id } } })),
  );

export const usePutRole = () =>
  useChange(({ name, title, rules }: { name: string; title: string; rules: Rule[] }) =>
    take(api.PUT("/api/v1/roles/{name}", { ...of(name), body: { title, rules } })),
  );

export const useRemoveRole = () => useChange((name: string) => take(api.DELETE("/api/v1/roles/{name}", of(name))));
