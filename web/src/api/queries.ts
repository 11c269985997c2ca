import { MutationCache, QueryCache, QueryClient, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import {
  api,
  type Change,
  type ChangeRule,
  type Device,
  type Edit,
  type Person,
  Problem,
  type Site,
  setPerson,
  take,
  triedKey,
} from "./client";

/** An ended session asks for signing in again, at the same address. */
function ended(e: Error) {
  if (e instanceof Problem && e.status === 401) queryClient.setQueryData(keys.me, null);
}

export const queryClient: QueryClient = new QueryClient({
  queryCache: new QueryCache({ onError: ended }),
  mutationCache: new MutationCache({ onError: (e, _v, _c, m) => m.options.mutationKey?.[0] !== "sign-in" && ended(e) }),
  defaultOptions: {
    queries: {
      staleTime: 60_000, // the event stream tells what is old before that
      retry: (n, e) => !(e instanceof Problem && e.status >= 400 && e.status < 500) && n < 2,
      refetchOnWindowFocus: false,
    },
  },
});

export const keys = {
  me: ["me"] as const,
  sites: ["sites"] as const,
  devices: ["devices"] as const,
  device: (name: string) => ["device", name] as const,
  configuration: (name: string) => ["configuration", name] as const,
  ports: ["ports"] as const,
  clients: ["clients"] as const,
  links: ["links"] as const,
  discoveries: ["discoveries"] as const,
  found: ["found"] as const,
  claims: ["claims"] as const,
  groups: ["groups"] as const,
  map: ["map"] as const,
  preferences: ["preferences"] as const,
  changes: ["changes"] as const,
  events: ["events"] as const,
};

export function useMe() {
  return useQuery({
    queryKey: keys.me,
    queryFn: async (): Promise<Person | null> => {
      try {
        const p = await take(api.GET("/api/v1/session"));
        setPerson(p);
        return p;
      } catch (e) {
        if (e instanceof Problem && e.status === 401) return null;
        throw e;
      }
    },
  });
}

export function useSignIn() {
  const qc = useQueryClient();
  return useMutation({
    mutationKey: ["sign-in"],
    mutationFn: (body: { name: string; password: string }) => take(api.POST("/api/v1/session", { body })),
    onSuccess: (p) => {
      setPerson(p);
      qc.setQueryData(keys.me, p);
    },
  });
}

export function useSignOut() {
  const qc = useQueryClient();
  return useMutation({
    mutationFn: () => {
      sessionStorage.removeItem(triedKey);
      return take(api.DELETE("/api/v1/session"));
    },
    onSettled: () => {
      setPerson(null);
      qc.clear();
      qc.setQueryData(keys.me, null);
    },
  });
}

export const useDevice = (name: string) =>
  useQuery({
    queryKey: keys.device(name),
    queryFn: () => take(api.GET("/api/v1/devices/{name}", { params: { path: { name } } })),
  });

export const useConfiguration = (name: string, defaults = false) =>
  useQuery({
    queryKey: [...keys.configuration(name), defaults],
    queryFn: () =>
      take<unknown>(
        api.GET("/api/v1/devices/{name}/configuration", {
          params: { path: { name }, query: { defaults } },
          parseAs: "text",
        }),
      ).then(String),
  });

export const useEvents = (limit: number, scope = "", where = "") =>
  useQuery({
    queryKey: [...keys.events, limit, scope, where],
    queryFn: () => take(api.GET("/api/v1/event-log", { params: { query: { limit, scope, where } } })),
    placeholderData: (old) => old,
  });

export const useChanges = () =>
  useQuery({
    queryKey: keys.changes,
    queryFn: () => take(api.GET("/api/v1/changes", { params: { query: { limit: 50 } } })),
  });

export const useDeviceChanges = (device: string) =>
  useQuery({
    queryKey: [...keys.changes, device],
    queryFn: () => take(api.GET("/api/v1/changes", { params: { query: { device, limit: 100 } } })),
  });

/** Open drafts first, then what is under way: what the tray is about. */
export const isOpen = (c: Change) => c.state !== "kept" && c.state !== "undone" && c.state !== "failed";
export const isDraft = (c: Change) => c.state === "draft" || c.state === "checked";

function useChangeMutation<T>(f: (arg: T) => Promise<Change>) {
  const qc = useQueryClient();
  return useMutation({
    mutationFn: f,
    onSuccess: () => qc.invalidateQueries({ queryKey: keys.changes }),
    onError: (e) => {
      toast.error(e.message);
      void qc.invalidateQueries({ queryKey: keys.changes });
    },
  });
}

const at = (number: number) => ({ params: { path: { number } } });

/** Adds edits to a draft, or makes one of them. */
export const useAddEdits = () =>
  useChangeMutation(({ draft, edits }: { draft?: number; edits: Edit[] }) =>
    draft
      ? take(api.POST("/api/v1/changes/{number}/edits", { ...at(draft), body: { edits } }))
      : take(api.POST("/api/v1/changes", { body: { edits } })),
  );

export const useTakeOut = () =>
  useChangeMutation(({ number, port, field }: { number: number; port: string; field: string }) =>
    take(api.DELETE("/api/v1/changes/{number}/edits", { params: { path: { number }, query: { port, field } } })),
  );

export const useExplain = () =>
  useChangeMutation(({ number, why }: { number: number; why: string }) =>
    take(api.PUT("/api/v1/changes/{number}/why", { ...at(number), body: { why } })),
  );

export const useCheck = () =>
  useChangeMutation((number: number) => take(api.POST("/api/v1/changes/{number}/check", at(number))));

export const usePush = () =>
  useChangeMutation(
    ({
      change,
      accept,
      seconds,
      keep,
      at,
      window,
    }: {
      change: Change;
      accept: string[];
      seconds: number;
      keep: number;
      at?: string;
      window?: boolean;
    }) =>
      take(
        api.POST("/api/v1/changes/{number}/push", {
          params: { path: { number: change.number }, header: { "If-Match": `"${change.revision}"` } },
          body: { accept, trial_seconds: seconds, keep_seconds: keep || undefined, at, in_window: window },
        }),
      ),
  );

export const useApprove = () =>
  useChangeMutation(({ change, why }: { change: Change; why: string }) =>
    take(
      api.POST("/api/v1/changes/{number}/approve", {
        params: { path: { number: change.number }, header: { "If-Match": `"${change.revision}"` } },
        body: { why },
      }),
    ),
  );

export const useWithdraw = () =>
  useChangeMutation((number: number) =>
    take(api.POST("/api/v1/changes/{number}/withdraw", { ...at(number), body: { why: "" } })),
  );

export const useChangeRules = () =>
  useQuery({ queryKey: ["change-rules"], queryFn: () => take(api.GET("/api/v1/change-rules")) });

export const usePutChangeRule = () =>
  useKeeping((rule: ChangeRule) =>
    take(api.PUT("/api/v1/change-rules/{name}", { params: { path: { name: rule.name } }, body: rule })),
  );

export const useDropChangeRule = () =>
  useKeeping((name: string) => take(api.DELETE("/api/v1/change-rules/{name}", { params: { path: { name } } })));

export const useCancel = () =>
  useChangeMutation((number: number) => take(api.POST("/api/v1/changes/{number}/cancel", at(number))));

export const useKeep = () =>
  useChangeMutation((number: number) => take(api.POST("/api/v1/changes/{number}/keep", at(number))));

export const useUndo = () =>
  useChangeMutation((number: number) => take(api.POST("/api/v1/changes/{number}/undo", at(number))));

export const useTakeBack = () =>
  useChangeMutation((number: number) => take(api.POST("/api/v1/changes/{number}/take-back", at(number))));

export function useDiscard() {
  const qc = useQueryClient();
  return useMutation({
    mutationFn: (number: number) => take(api.DELETE("/api/v1/changes/{number}", at(number))),
    onSuccess: () => qc.invalidateQueries({ queryKey: keys.changes }),
    onError: (e) => toast.error(e.message),
  });
}

export const useProbe = () =>
  useMutation({ mutationFn: (address: string) => take(api.POST("/api/v1/host-keys", { body: { address } })) });

export const usePin = () =>
  useMutation({
    mutationFn: ({ name, host_key }: { name: string; host_key: string }) =>
      take(api.PUT("/api/v1/devices/{name}/host-key", { params: { path: { name } }, body: { host_key } })),
  });

export const useDeviceLogin = () =>
  useMutation({
    mutationFn: ({ name, user, password }: { name: string; user?: string; password: string }) =>
      take(api.PUT("/api/v1/devices/{name}/login", { params: { path: { name } }, body: { user, password } })),
  });

export function useEnrol() {
  const qc = useQueryClient();
  return useMutation({
    mutationFn: (body: {
      address: string;
      user: string;
      password: string;
      host_key: string;
      site: string;
      name?: string;
    }) => take(api.POST("/api/v1/devices", { body })),
    onSuccess: () => qc.invalidateQueries(),
  });
}

export const useDiscoveries = () =>
  useQuery({ queryKey: keys.discoveries, queryFn: () => take(api.GET("/api/v1/discoveries")) });

export const useFound = () => useQuery({ queryKey: keys.found, queryFn: () => take(api.GET("/api/v1/found-devices")) });

/** A change of what is kept of the network, after which everything may be old. */
function useKeeping<T, R>(f: (arg: T) => Promise<R>) {
  const qc = useQueryClient();
  return useMutation({ mutationFn: f, onSuccess: () => qc.invalidateQueries() });
}

type DiscoveryRequest = { targets: string[]; port?: number; user: string; password: string; hops: number };

export const useDiscover = () =>
  useKeeping((body: DiscoveryRequest) => take(api.POST("/api/v1/discoveries", { body })));

export const useCancelDiscovery = () =>
  useKeeping((number: number) =>
    take(api.POST("/api/v1/discoveries/{number}/cancel", { params: { path: { number } } })),
  );

export const useAccept = () =>
  useKeeping((devices: { address: string; host_key: string; site?: string }[]) =>
    take(api.POST("/api/v1/found-devices/accept", { body: { devices } })),
  );

export const useDismiss = () =>
  useKeeping((addresses: string[]) => take(api.POST("/api/v1/found-devices/dismiss", { body: { addresses } })));

type SiteBody = Omit<Site, "name" | "devices" | "ports">;

export const usePutSite = () =>
  useKeeping(({ name, body }: { name: string; body: SiteBody }) =>
    take(api.PUT("/api/v1/sites/{name}", { params: { path: { name } }, body })),
  );

export const useRemoveSite = () =>
  useKeeping((name: string) => take(api.DELETE("/api/v1/sites/{name}", { params: { path: { name } } })));

export const useMergeSite = () =>
  useKeeping(({ name, into }: { name: string; into: string }) =>
    take(api.POST("/api/v1/sites/{name}/merge", { params: { path: { name } }, body: { into } })),
  );

type Description = Pick<
  Device,
  "site" | "contact" | "building" | "floor" | "rack" | "rack_unit" | "position" | "tags" | "page" | "notes"
>;

export const useDescribe = () =>
  useKeeping(({ name, body }: { name: string; body: Description }) =>
    take(api.PUT("/api/v1/devices/{name}/description", { params: { path: { name } }, body })),
  );

export const useRetire = () =>
  useKeeping((name: string) => take(api.POST("/api/v1/devices/{name}/retire", { params: { path: { name } } })));

export const useReinstate = () =>
  useKeeping((name: string) => take(api.POST("/api/v1/devices/{name}/reinstate", { params: { path: { name } } })));

export const useForget = () =>
  useKeeping((name: string) => take(api.DELETE("/api/v1/devices/{name}", { params: { path: { name } } })));

export const useNameClient = () =>
  useKeeping(({ mac, name }: { mac: string; name: string }) =>
    take(api.PUT("/api/v1/clients/{mac}/name", { params: { path: { mac } }, body: { name } })),
  );
