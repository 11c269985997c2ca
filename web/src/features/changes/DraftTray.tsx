import { X } from "lucide-react";
import { Link } from "react-router";
import type { Person } from "../../api/client";
import { isOpen, useChanges } from "../../api/queries";
import { useView } from "../../app/view";
import { Button, Empty, Failure } from "../../ui/controls";
import { changeShape, changeWord, Shape } from "../../ui/health";
import { ChangeView } from "./ChangeView";

/** The tray at the right, in which edits made anywhere collect, and from which they are pushed, kept or undone. */
export function DraftTray({ me, open }: { me: Person; open: boolean }) {
  const [tray, setTray] = useView("tray");
  const changes = useChanges();
  if (!open) return null;
  const all = changes.data?.items ?? [];
  const under = all.filter(isOpen);
  const chosen = all.find((c) => String(c.number) === tray) ?? under[0];
  const tabs = chosen && !under.includes(chosen) ? [chosen, ...under] : under;
  return (
    <aside
      aria-label="Draft tray"
      className="col-start-3 row-start-2 flex w-[400px] min-w-0 flex-col overflow-hidden border-l border-rule bg-panel max-md:fixed max-md:inset-y-11 max-md:right-0 max-md:z-30 max-md:w-full"
    >
      <header className="flex h-9 shrink-0 items-center gap-1 border-b border-rule bg-buff pl-3 pr-1 text-buff-ink">
        <h2 className="text-sm font-semibold">Drafts and trials</h2>
        <span className="grow" />
        <Link to="/changes" className="text-xs">
          All changes
        </Link>
        <Button
          kind="quiet"
          className="px-1 text-buff-ink"
          aria-label="Close the draft tray (d)"
          onClick={() => setTray("")}
        >
          <X size={16} />
        </Button>
      </header>
      {tabs.length > 1 && (
        <nav aria-label="Open changes" className="flex shrink-0 flex-wrap gap-1 border-b border-rule px-3 py-1.5">
          {tabs.map((c) => (
            <button
              key={c.number}
              type="button"
              aria-current={c === chosen}
              onClick={() => setTray(String(c.number))}
              className="inline-flex h-6 items-center gap-1.5 rounded-sm border border-rule px-2 text-sm hover:border-soft aria-[current=true]:border-accent aria-[current=true]:font-semibold"
            >
              <Shape state={changeShape(c.state)} size={10} />
              {c.number} {changeWord(c.state)}
            </button>
          ))}
        </nav>
      )}
      <div className="min-h-0 grow overflow-auto">
        {changes.isError && <Failure error={changes.error} retry={() => void changes.refetch()} />}
        {chosen ? (
          <ChangeView key={chosen.number} c={chosen} me={me} onGone={() => setTray("open")} />
        ) : (
          changes.data && (
            <Empty title="No draft is open">
              Pick ports on a device's face or in a table and set something: edits collect here, and nothing is sent
              before you push.
            </Empty>
          )
        )}
      </div>
    </aside>
  );
}
