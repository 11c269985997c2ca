import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Plus, Trash2 } from "lucide-react";
import { type FormEvent, useState } from "react";
import { toast } from "sonner";
import { api, type MailServer, type Notice, take } from "../../api/client";
import { Button, Empty, Failure, Field, inputClass, Modal, Panel, ScrollRegion } from "../../ui/controls";
import { HealthMark } from "../../ui/health";
import { dayTime } from "../../ui/time";

const key = ["alarms", "notices"] as const;

const useNotices = () => useQuery({ queryKey: key, queryFn: () => take(api.GET("/api/v1/notices")) });
const useDeliveries = () =>
  useQuery({
    queryKey: ["alarms", "deliveries"],
    queryFn: () => take(api.GET("/api/v1/deliveries", { params: { query: { limit: 50 } } })),
  });
const useMailServer = () =>
  useQuery({ queryKey: ["alarms", "mail-server"], queryFn: () => take(api.GET("/api/v1/mail-server")) });

const words = (list: string) => list.split(/[\s,]+/).filter(Boolean);

/** Who is told of alarms, and how; by which mail goes; and what was told. */
export function Notices() {
  const notices = useNotices();
  const [editing, setEditing] = useState<Notice | "new">();
  const [secret, setSecret] = useState("");
  const list = notices.data?.items ?? [];
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] items-start gap-3 xl:grid-cols-[minmax(0,3fr)_minmax(0,2fr)]">
      <Panel
        title="Who is told"
        aside={
          <Button kind="quiet" className="!h-6 text-buff-ink" onClick={() => setEditing("new")}>
            <Plus size={14} aria-hidden /> New notice
          </Button>
        }
      >
        {notices.isError && <Failure error={notices.error} retry={() => void notices.refetch()} />}
        {notices.data && list.length === 0 && (
          <Empty title="Nobody is told of alarms yet">A notice says who is told of which alarms, and how.</Empty>
        )}
        {list.length > 0 && (
          <ul>
            {list.map((n) => (
              <Row key={n.name} n={n} edit={() => setEditing(n)} />
            ))}
          </ul>
        )}
      </Panel>
      <Mail />
      <div className="xl:col-span-2">
        <Told />
      </div>
      <Modal
        open={editing !== undefined}
        onOpenChange={(on) => !on && setEditing(undefined)}
        title={editing === "new" ? "New notice" : `Notice ${editing?.name ?? ""}`}
        description="An alarm is told once, and once more when it is over. What follows from another alarm is not told by itself."
        wide
      >
        {editing && (
          <Form
            n={editing === "new" ? undefined : editing}
            done={(s) => {
              setEditing(undefined);
              setSecret(s ?? "");
            }}
          />
        )}
      </Modal>
      <Modal
        open={secret !== ""}
        onOpenChange={() => setSecret("")}
        title="The secret of the webhook"
        description="What is posted is signed with it, in the form of Standard Webhooks. It is not shown again."
      >
        <p className="break-all rounded border border-rule bg-ground p-2 font-mono text-sm">{secret}</p>
        <div className="mt-3 flex justify-end">
          <Button kind="main" onClick={() => setSecret("")}>
            I have kept it
          </Button>
        </div>
      </Modal>
    </div>
  );
}

function Row({ n, edit }: { n: Notice; edit: () => void }) {
  const qc = useQueryClient();
  const [sure, setSure] = useState(false);
  const renew = () => void qc.invalidateQueries({ queryKey: ["alarms"] });
  const test = useMutation({
    mutationFn: () => take(api.POST("/api/v1/notices/{name}/test", { params: { path: { name: n.name } } })),
    onSuccess: () => {
      renew();
      toast("It is being sent: what becomes of it stands below.");
    },
    onError: (e) => toast.error(e.message),
  });
  const remove = useMutation({
    mutationFn: () => take(api.DELETE("/api/v1/notices/{name}", { params: { path: { name: n.name } } })),
    onSuccess: renew,
    onError: (e) => toast.error(e.message),
  });
  return (
    <li className="flex flex-wrap items-center gap-x-3 gap-y-1 border-b border-rule/60 px-3 py-1.5 last:border-0">
      <button type="button" className="font-medium hover:underline" onClick={edit}>
        {n.name}
      </button>
      <HealthMark state={n.severity} word={n.severity === "critical" ? "critical" : `${n.severity} and worse`} />
      <span className="min-w-0 grow break-all font-mono text-sm">
        {n.webhook || [...(n.people ?? []), ...(n.mail ?? [])].join(", ")}
      </span>
      <span className="text-sm text-soft">
        {[n.pick, n.hours && `${n.hours} ${n.zone ?? ""}`, n.after && `not acknowledged for ${n.after} min`]
          .filter(Boolean)
          .join("; ")}
      </span>
      <span className="ml-auto flex items-center gap-1">
        {sure ? (
          <>
            <Button kind="danger" className="!h-6" disabled={remove.isPending} onClick={() => remove.mutate()}>
              Remove {n.name}
            </Button>
            <Button className="!h-6" onClick={() => setSure(false)}>
              Leave it
            </Button>
          </>
        ) : (
          <>
            <Button className="!h-6" disabled={test.isPending} onClick={() => test.mutate()}>
              Test
            </Button>
            <Button
              kind="quiet"
              className="!h-6 px-1"
              aria-label={`Remove notice ${n.name}`}
              title="Remove it, and what it was yet to tell"
              onClick={() => setSure(true)}
            >
              <Trash2 size={14} aria-hidden />
            </Button>
          </>
        )}
      </span>
    </li>
  );
}

function Form({ n, done }: { n?: Notice; done: (secret?: string) => void }) {
  const [v, setV] = useState({
    name: n?.name ?? "",
    how: n?.webhook ? "webhook" : "mail",
    people: n?.people?.join(", ") ?? "",
    mail: n?.mail?.join(", ") ?? "",
    webhook: n?.webhook ?? "",
    severity: n?.severity ?? "minor",
    pick: n?.pick ?? "",
    hours: n?.hours ?? "",
    zone: n?.zone ?? "",
    after: String(n?.after ?? ""),
  });
  const qc = useQueryClient();
  const put = useMutation({
    mutationFn: () =>
      take(
        api.PUT("/api/v1/notices/{name}", {
          params: { path: { name: v.name.trim() } },
          body: {
            people: v.how === "mail" ? words(v.people) : undefined,
            mail: v.how === "mail" ? words(v.mail) : undefined,
            webhook: v.how === "webhook" ? v.webhook.trim() : undefined,
            severity: v.severity,
            pick: v.pick.trim() || undefined,
            hours: v.hours.trim() || undefined,
            zone: v.zone.trim() || undefined,
            after: Number(v.after) || undefined,
          },
        }),
      ),
    onSuccess: (a) => {
      void qc.invalidateQueries({ queryKey: ["alarms"] });
      done(a.secret);
    },
  });
  const text = (name: keyof typeof v, label: string, help: string, disabled = false) => (
    <Field label={label} help={help}>
      {(id, by) => (
        <input
          id={id}
          aria-describedby={by}
          className={inputClass}
          disabled={disabled}
          value={v[name]}
          onChange={(e) => setV({ ...v, [name]: e.target.value })}
        />
      )}
    </Field>
  );
  const submit = (e: FormEvent) => {
    e.preventDefault();
    put.mutate();
  };
  return (
    <form onSubmit={submit} className="grid gap-x-3 gap-y-2 sm:grid-cols-2">
      {text("name", "Name", "small letters, digits and hyphens", n !== undefined)}
      <Field label="How" help="by mail, or posted to another program">
        {(id) => (
          <select id={id} className={inputClass} value={v.how} onChange={(e) => setV({ ...v, how: e.target.value })}>
            <option value="mail">mail</option>
            <option value="webhook">webhook</option>
          </select>
        )}
      </Field>
      {v.how === "mail" ? (
        <>
          {text("people", "Users", "who get mail at their own addresses, of what they may see")}
          {text("mail", "Other addresses", "separated by commas")}
        </>
      ) : (
        <div className="sm:col-span-2">
          {text("webhook", "Address of the page", "such as https://desk.example.net/alarms")}
        </div>
      )}
      <Field label="From severity" help="this and worse">
        {(id) => (
          <select
            id={id}
            className={inputClass}
            value={v.severity}
            onChange={(e) => setV({ ...v, severity: e.target.value as Notice["severity"] })}
          >
            {["critical", "major", "minor", "warning"].map((s) => (
              <option key={s}>{s}</option>
            ))}
          </select>
        )}
      </Field>
      {text("after", "Not acknowledged for", "minutes; at once when left out")}
      <div className="sm:col-span-2">
        {text("pick", "Of devices", "a selector such as site = tern-haven; all when left out")}
      </div>
      {text("hours", "Hours", "such as mon-fri 06:00-19:00; always when left out")}
      {text("zone", "Time zone of the hours", "such as Europe/London; UTC when left out")}
      {put.isError && (
        <p role="alert" className="text-down sm:col-span-2">
          {put.error.message}
        </p>
      )}
      <div className="flex justify-end gap-2 sm:col-span-2">
        <Button onClick={() => done()}>Leave it</Button>
        <Button type="submit" kind="main" disabled={put.isPending || v.name.trim() === ""}>
          Set
        </Button>
      </div>
    </form>
  );
}

function Mail() {
  const server = useMailServer();
  if (server.isError) return <Failure error={server.error} retry={() => void server.refetch()} />;
  return <Panel title="Mail server">{server.data && <MailForm m={server.data} />}</Panel>;
}

function MailForm({ m }: { m: MailServer }) {
  const [v, setV] = useState({ ...m, user: m.user ?? "", password: "" });
  const qc = useQueryClient();
  const put = useMutation({
    mutationFn: () =>
      take(
        api.PUT("/api/v1/mail-server", {
          body: { ...v, user: v.user || undefined, password: v.password || undefined },
        }),
      ),
    onSuccess: () => {
      void qc.invalidateQueries({ queryKey: ["alarms", "mail-server"] });
      setV({ ...v, password: "" });
      toast("The mail server is set. Test a notice to try it.");
    },
  });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    put.mutate();
  };
  const text = (name: "address" | "from" | "user" | "password", label: string, help: string) => (
    <Field label={label} help={help}>
      {(id, by) => (
        <input
          id={id}
          aria-describedby={by}
          className={inputClass}
          type={name === "password" ? "password" : undefined}
          autoComplete={name === "password" ? "new-password" : undefined}
          value={v[name]}
          onChange={(e) => setV({ ...v, [name]: e.target.value })}
        />
      )}
    </Field>
  );
  return (
    <form onSubmit={submit} className="grid gap-x-3 gap-y-2 p-3 sm:grid-cols-2">
      {text("address", "Server", "host:port")}
      {text("from", "From", "address of mail of who sends")}
      <Field label="TLS" help="as the server wants it">
        {(id) => (
          <select
            id={id}
            className={inputClass}
            value={v.tls}
            onChange={(e) => setV({ ...v, tls: e.target.value as MailServer["tls"] })}
          >
            {["starttls", "tls", "none"].map((s) => (
              <option key={s}>{s}</option>
            ))}
          </select>
        )}
      </Field>
      {text("user", "User", "nobody when left out")}
      {v.user && text("password", "Password", m.user ? "stays as it was when left out" : "is kept sealed")}
      {put.isError && (
        <p role="alert" className="text-down sm:col-span-2">
          {put.error.message}
        </p>
      )}
      <div className="sm:col-span-2">
        <Button type="submit" kind="main" disabled={put.isPending || !v.address.trim() || !v.from.trim()}>
          Set the mail server
        </Button>
      </div>
    </form>
  );
}

const shape: Record<string, string> = { waiting: "trial", sent: "well", failed: "down", dropped: "off" };

function Told() {
  const deliveries = useDeliveries();
  const list = deliveries.data?.items ?? [];
  return (
    <Panel title="What was told">
      {deliveries.isError && <Failure error={deliveries.error} retry={() => void deliveries.refetch()} />}
      {deliveries.data && list.length === 0 && <Empty title="Nothing was told yet">What is sent stands here.</Empty>}
      {list.length > 0 && (
        <ScrollRegion label="Deliveries" className="max-h-[360px] overflow-auto">
          <table className="w-full border-collapse text-left text-sm">
            <thead className="sticky top-0 bg-panel text-soft shadow-[inset_0_-1px_0_var(--rule)]">
              <tr>
                {["At", "Notice", "Alarm", "What", "State", "Tries", "Why"].map((h) => (
                  <th key={h} scope="col" className="h-7 whitespace-nowrap px-2.5 font-medium">
                    {h}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {list.map((x) => (
                <tr key={x.number} className="border-t border-rule/60 first:border-0">
                  <td className="h-6 whitespace-nowrap px-2.5 text-soft">{dayTime(x.created_at)}</td>
                  <td className="px-2.5">{x.notice}</td>
                  <td className="px-2.5 tabular-nums">{x.alarm || ""}</td>
                  <td className="px-2.5">{x.kind}</td>
                  <td className="px-2.5">
                    <HealthMark
                      state={shape[x.state] ?? "unknown"}
                      word={x.next_at ? `waiting until ${new Date(x.next_at).toLocaleTimeString("en-GB")}` : x.state}
                    />
                  </td>
                  <td className="px-2.5 tabular-nums">{x.tries}</td>
                  <td className="px-2.5 text-soft">{x.said}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </ScrollRegion>
      )}
    </Panel>
  );
}
