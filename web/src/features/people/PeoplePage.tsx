import { Plus } from "lucide-react";
import { Tabs } from "radix-ui";
import { useState } from "react";
import { allowed, type Person, type User } from "../../api/client";
import { useView } from "../../app/view";
import { Button, Empty, Failure, Field, inputClass, Modal, Panel } from "../../ui/controls";
import { type Column, Table } from "../../ui/table";
import { Ago, many } from "../../ui/time";
import { AuditLog } from "./AuditLog";
import { useMakeUser, usePutUser, useRemoveUser, useResetPassword, useRoles, useUsers } from "./queries";
import { Roles } from "./Roles";
import { ServiceState } from "./ServiceState";
import { Terminals } from "./Terminals";
import { Tokens } from "./Tokens";

/** Who may sign in, what roles may do, and who did what. */
export function PeoplePage({ me }: { me: Person }) {
  const tabs = [
    ...(allowed(me, "see", "people") ? ([["users", "Users", <Users key="u" me={me} />]] as const) : []),
    ...(allowed(me, "see", "people") ? ([["roles", "Roles", <Roles key="r" me={me} />]] as const) : []),
    ...(allowed(me, "see", "terminals") ? ([["terminals", "Terminals", <Terminals key="t" />]] as const) : []),
    ...(allowed(me, "see", "audit") ? ([["audit", "Audit log", <AuditLog key="a" />]] as const) : []),
    ...(allowed(me, "administer", "people") ? ([["service", "The service", <ServiceState key="s" />]] as const) : []),
  ];
  const [tab, setTab] = useView("tab", tabs[0]?.[0] ?? "");
  if (tabs.length === 0)
    return <Empty title="This is not for your role">Who may administer people can give you more.</Empty>;
  return (
    <Tabs.Root value={tab} onValueChange={setTab} className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <h1 className="text-lg font-semibold">People</h1>
      <Tabs.List className="flex gap-1 border-b border-rule" aria-label="About people">
        {tabs.map(([value, word]) => (
          <Tabs.Trigger
            key={value}
            value={value}
            className="h-8 border-b-2 border-transparent px-3 text-soft hover:text-ink data-[state=active]:border-accent data-[state=active]:font-semibold data-[state=active]:text-ink"
          >
            {word}
          </Tabs.Trigger>
        ))}
      </Tabs.List>
      {tabs.map(([value, , page]) => (
        <Tabs.Content key={value} value={value}>
          {page}
        </Tabs.Content>
      ))}
    </Tabs.Root>
  );
}

function columns(edit?: (u: User) => void): Column<User>[] {
  return [
    {
      key: "full",
      head: "Name",
      sort: (u) => u.full_name,
      cell: (u) =>
        edit ? (
          <button type="button" className="text-accent hover:underline" onClick={() => edit(u)}>
            {u.full_name || u.name}
          </button>
        ) : (
          u.full_name || u.name
        ),
    },
    { key: "name", head: "Signs in as", mono: true, sort: (u) => u.name, cell: (u) => u.name },
    { key: "role", head: "Role", sort: (u) => u.role, cell: (u) => u.role },
    {
      key: "only",
      head: "Only where",
      mono: true,
      sort: (u) => u.only ?? "",
      cell: (u) => u.only || <span className="font-sans text-soft">everywhere</span>,
    },
    { key: "mail", head: "Mail", mono: true, sort: (u) => u.mail ?? "", cell: (u) => u.mail },
    { key: "tokens", head: "Tokens", right: true, sort: (u) => u.tokens, cell: (u) => u.tokens },
    { key: "made", head: "Made", right: true, sort: (u) => u.created_at, cell: (u) => <Ago at={u.created_at} /> },
  ];
}

function Users({ me }: { me: Person }) {
  const users = useUsers();
  const [sort, setSort] = useView("sort", "full");
  const [editing, setEditing] = useState<User | "new" | null>(null);
  const [own] = useState(() => columns(setEditing));
  const [readOnly] = useState(() => columns());
  const mayEdit = allowed(me, "administer", "people");
  if (users.isError) return <Failure error={users.error} retry={() => void users.refetch()} />;
  if (!users.data) return null;
  return (
    <Panel
      title={many(users.data.items.length, "user")}
      aside={
        mayEdit && (
          <Button kind="main" className="h-6" onClick={() => setEditing("new")}>
            <Plus size={14} aria-hidden /> Make a user
          </Button>
        )
      }
    >
      <Table
        label="Users"
        columns={mayEdit ? own : readOnly}
        rows={users.data.items}
        rowKey={(u) => u.name}
        sort={sort}
        onSort={setSort}
        className="max-h-[calc(100vh-230px)]"
        empty={<Empty title="There is nobody" />}
      />
      {editing && (
        <UserDialog
          key={editing === "new" ? "" : editing.name}
          user={editing === "new" ? null : editing}
          me={me}
          close={() => setEditing(null)}
        />
      )}
    </Panel>
  );
}

function UserDialog({ user, me, close }: { user: User | null; me: Person; close: () => void }) {
  const [full, setFull] = useState(user?.full_name ?? "");
  const [name, setName] = useState("");
  const [role, setRole] = useState(user?.role ?? "viewer");
  const [only, setOnly] = useState(user?.only ?? "");
  const [mail, setMail] = useState(user?.mail ?? "");
  const [password, setPassword] = useState("");
  const [radius, setRadius] = useState(false);
  const roles = useRoles();
  const make = useMakeUser();
  const put = usePutUser();
  const error = make.error ?? put.error;
  const title = roles.data?.items.find((r) => r.name === role)?.title;
  const save = () => {
    const body = { full_name: full, role, only, mail: mail.trim() || undefined };
    if (user) put.mutate({ name: user.name, body }, { onSuccess: close });
    else make.mutate({ name, ...(radius ? { radius } : { password }), ...body }, { onSuccess: close });
  };
  return (
    <Modal
      open
      onOpenChange={close}
      wide
      title={user ? user.full_name || user.name : "Make a user"}
      description={user ? `Signs in as ${user.name}.` : "Somebody who may sign in."}
    >
      <form
        onSubmit={(e) => {
          e.preventDefault();
          save();
        }}
        className="grid gap-3"
      >
        <div className="grid gap-3 sm:grid-cols-2">
          <Field label="Full name">
            {(id, d) => (
              <input
                id={id}
                aria-describedby={d}
                value={full}
                maxLength={100}
                onChange={(e) => setFull(e.target.value)}
                className={inputClass}
              />
            )}
          </Field>
          {!user && (
            <Field label="Signs in as" help="Small letters and digits; it cannot be changed later">
              {(id, d) => (
                <input
                  id={id}
                  aria-describedby={d}
                  value={name}
                  maxLength={32}
                  autoComplete="off"
                  onChange={(e) => setName(e.target.value)}
                  className={`${inputClass} font-mono`}
                />
              )}
            </Field>
          )}
          <Field label="Role" help={title}>
            {(id, d) => (
              <select
                id={id}
                aria-describedby={d}
                value={role}
                onChange={(e) => setRole(e.target.value)}
                className={inputClass}
              >
                {roles.data?.items.map((r) => (
                  <option key={r.name} value={r.name}>
                    {r.name}
                  </option>
                ))}
              </select>
            )}
          </Field>
          <Field label="Only where" help="A selector the person is confined to: site = kelp-bay. Empty: everywhere">
            {(id, d) => (
              <input
                id={id}
                aria-describedby={d}
                value={only}
                maxLength={1000}
                onChange={(e) => setOnly(e.target.value)}
                className={`${inputClass} font-mono`}
              />
            )}
          </Field>
          <Field label="Mail" help="Notices go there that name the person. Empty: none">
            {(id, d) => (
              <input
                id={id}
                aria-describedby={d}
                type="email"
                value={mail}
                maxLength={254}
                onChange={(e) => setMail(e.target.value)}
                className={`${inputClass} font-mono`}
              />
            )}
          </Field>
          {!user && (
            <label className="flex items-center gap-2 self-center">
              <input type="checkbox" checked={radius} onChange={(e) => setRadius(e.target.checked)} /> The RADIUS
              servers check the password
            </label>
          )}
          {!user && !radius && (
            <Field label="Password" help="12 characters at least">
              {(id, d) => (
                <input
                  id={id}
                  aria-describedby={d}
                  type="password"
                  autoComplete="new-password"
                  value={password}
                  onChange={(e) => setPassword(e.target.value)}
                  className={inputClass}
                />
              )}
            </Field>
          )}
        </div>
        {error && (
          <p role="alert" className="text-down">
            {error.message}
          </p>
        )}
        <div className="flex justify-end gap-2">
          <Button onClick={close}>Leave it</Button>
          <Button
            kind="main"
            type="submit"
            disabled={make.isPending || put.isPending || (!user && (!name || !(password || radius)))}
          >
            {user ? "Keep" : "Make the user"}
          </Button>
        </div>
      </form>
      {user && (
        <div className="mt-4 grid gap-4 border-t border-rule pt-3">
          <Tokens user={user.name} />
          {user.radius ? (
            <p className="text-soft">The RADIUS servers check the password; none is kept here.</p>
          ) : (
            <NewPassword name={user.name} />
          )}
          <Removal user={user} self={user.name === me.name} close={close} />
        </div>
      )}
    </Modal>
  );
}

function NewPassword({ name }: { name: string }) {
  const [password, setPassword] = useState("");
  const reset = useResetPassword();
  return (
    <form
      className="flex flex-wrap items-end gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        reset.mutate({ name, password }, { onSuccess: () => setPassword("") });
      }}
    >
      <div className="w-64">
        <Field
          label="New password"
          help={reset.isSuccess ? "The password is changed." : "All sessions of the user end"}
          error={reset.error?.message}
        >
          {(id, d) => (
            <input
              id={id}
              aria-describedby={d}
              type="password"
              autoComplete="new-password"
              value={password}
              onChange={(e) => setPassword(e.target.value)}
              className={inputClass}
            />
          )}
        </Field>
      </div>
      <Button type="submit" className="mb-[18px]" disabled={!password || reset.isPending}>
        Give it
      </Button>
    </form>
  );
}

function Removal({ user, self, close }: { user: User; self: boolean; close: () => void }) {
  const [sure, setSure] = useState(false);
  const remove = useRemoveUser();
  return (
    <div className="flex flex-wrap items-center gap-3">
      {!sure ? (
        <Button kind="danger" onClick={() => setSure(true)}>
          Remove the user…
        </Button>
      ) : (
        <>
          <p className="grow">
            {self ? "This is you. " : ""}Sessions, tokens and likings of {user.full_name || user.name} end at once; what
            was done stays in the audit log.
          </p>
          <Button onClick={() => setSure(false)}>Leave it</Button>
          <Button
            kind="danger"
            disabled={remove.isPending}
            onClick={() => remove.mutate(user.name, { onSuccess: close })}
          >
            Remove {user.name}
          </Button>
        </>
      )}
      {remove.error && (
        <p role="alert" className="w-full text-down">
          {remove.error.message}
        </p>
      )}
    </div>
  );
}
