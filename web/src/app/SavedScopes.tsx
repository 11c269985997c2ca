import { Bookmark } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { useState } from "react";
import { Link } from "react-router";
import { allowed, type Person } from "../api/client";
import { GroupDialog } from "../features/groups/GroupDialog";
import { useGroups } from "../features/groups/queries";

const item =
  "flex h-7 cursor-pointer items-center gap-3 rounded-sm px-2 outline-none data-[highlighted]:bg-buff data-[highlighted]:text-buff-ink";

/** The scopes that have a name, and a name for the one that is in force: both are groups. */
export function SavedScopes({ me, scope, setScope }: { me: Person; scope: string; setScope: (s: string) => void }) {
  const [open, setOpen] = useState(false);
  const [saving, setSaving] = useState(false);
  const sees = allowed(me, "see", "groups");
  const groups = useGroups(open && sees);
  const list = groups.data?.items ?? [];
  if (!sees) return null;
  return (
    <>
      <DropdownMenu.Root open={open} onOpenChange={setOpen}>
        <DropdownMenu.Trigger
          aria-label="Saved scopes"
          title="Saved scopes"
          className="rounded-sm p-1 text-soft hover:bg-ground hover:text-ink"
        >
          <Bookmark size={14} aria-hidden />
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content
            align="end"
            sideOffset={6}
            className="z-40 max-h-[60vh] w-72 overflow-auto rounded border border-rule bg-panel p-1 shadow-xl"
          >
            {list.map((g) => (
              <DropdownMenu.Item key={g.name} className={item} onSelect={() => setScope(`group = ${g.name}`)}>
                <span className="shrink-0 font-mono text-sm">{g.name}</span>
                <span className="grow truncate text-xs text-soft">{g.title}</span>
                <span className="text-xs text-soft">{g.devices.total}</span>
              </DropdownMenu.Item>
            ))}
            {list.length === 0 && <p className="px-2 py-1.5 text-sm text-soft">No scope has a name yet.</p>}
            <DropdownMenu.Separator className="my-1 h-px bg-rule" />
            {allowed(me, "operate", "groups") && (
              <DropdownMenu.Item className={item} disabled={!scope} onSelect={() => setSaving(true)}>
                <span className={scope ? "" : "opacity-50"}>Give this scope a name…</span>
              </DropdownMenu.Item>
            )}
            <DropdownMenu.Item className={item} asChild>
              <Link to="/groups" className="text-ink hover:no-underline">
                All groups
              </Link>
            </DropdownMenu.Item>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      {saving && <GroupDialog group={null} pick={scope} close={() => setSaving(false)} />}
    </>
  );
}
