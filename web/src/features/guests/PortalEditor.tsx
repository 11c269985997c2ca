import { type ChangeEvent, type FormEvent, useDeferredValue, useState } from "react";
import { toast } from "sonner";
import { allowed, type GuestPortal, type GuestPortalRequest, type Person } from "../../api/client";
import { Button, Field, inputClass, Modal, Panel } from "../../ui/controls";
import { usePutPicture, usePutPortal, useRemovePortal } from "./queries";

type Look = NonNullable<GuestPortalRequest["look"]>;

const fresh: GuestPortalRequest = { way: "agree", minutes: 240, look: {} };

/** What a portal asks of guests and how its page looks, beside the page as a phone and a desk show it. */
export function PortalEditor({
  portal,
  me,
  close,
  made,
}: {
  portal?: GuestPortal;
  me: Person;
  close: () => void;
  made: (name: string) => void;
}) {
  const [name, setName] = useState(portal?.name ?? "");
  const [v, setV] = useState<GuestPortalRequest>(portal ? requestOf(portal) : fresh);
  const [removing, setRemoving] = useState(false);
  const [pictures, setPictures] = useState(0); // how often the picture was changed
  const put = usePutPortal();
  const picture = usePutPicture();
  const remove = useRemovePortal();
  const may = allowed(me, "administer", "guests");
  const set = (more: Partial<GuestPortalRequest>) => setV({ ...v, ...more });
  const look = (more: Partial<Look>) => setV({ ...v, look: { ...v.look, ...more } });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    put.mutate(
      { name, body: v },
      {
        onSuccess: (p) => {
          toast.success(`Portal ${p.name} is kept`);
          made(p.name);
        },
      },
    );
  };
  const choose = (e: ChangeEvent<HTMLInputElement>) => {
    const file = e.target.files?.[0];
    if (!file || !portal) return;
    const r = new FileReader();
    r.onload = () => {
      const data = String(r.result);
      picture.mutate(
        { name: portal.name, picture: data.slice(data.indexOf(",") + 1) },
        { onSuccess: () => setPictures((n) => n + 1) },
      );
    };
    r.readAsDataURL(file);
  };
  const line = (
    label: string,
    help: string,
    value: string | undefined,
    on: (s: string) => void,
    more?: { mono?: boolean },
  ) => (
    <Field label={label} help={help}>
      {(id, by) => (
        <input
          id={id}
          aria-describedby={by}
          className={more?.mono ? `${inputClass} font-mono` : inputClass}
          value={value ?? ""}
          disabled={!may}
          onChange={(e) => on(e.target.value)}
        />
      )}
    </Field>
  );
  const text = (label: string, help: string, rows: number, value: string | undefined, on: (s: string) => void) => (
    <Field label={label} help={help}>
      {(id, by) => (
        <textarea
          id={id}
          aria-describedby={by}
          rows={rows}
          className={`${inputClass} !h-auto py-1`}
          value={value ?? ""}
          disabled={!may}
          onChange={(e) => on(e.target.value)}
        />
      )}
    </Field>
  );
  return (
    <Panel title={portal ? `Portal ${portal.name}` : "A new portal"} aside={<Button onClick={close}>Close</Button>}>
      <div className="grid gap-4 p-3 xl:grid-cols-[minmax(320px,400px)_minmax(0,1fr)]">
        <form onSubmit={submit} className="grid content-start gap-1.5">
          {!portal && line("Name", "by which access points know it, such as landing", name, setName, { mono: true })}
          {line("Title", "what it is called", v.title, (title) => set({ title }))}
          <div className="grid grid-cols-3 gap-2">
            <Field label="Guests must">
              {(id) => (
                <select
                  id={id}
                  className={inputClass}
                  value={v.way}
                  disabled={!may}
                  onChange={(e) => set({ way: e.target.value as GuestPortalRequest["way"] })}
                >
                  <option value="agree">agree to terms</option>
                  <option value="voucher">have a voucher</option>
                  <option value="host">wait to be let in</option>
                </select>
              )}
            </Field>
            {line("Let in for", "minutes", String(v.minutes ?? ""), (s) => set({ minutes: Number(s) || 0 }))}
            {line("Rate", "kbit/s, 0: no limit", String(v.rate_kbps ?? 0), (s) => set({ rate_kbps: Number(s) || 0 }))}
          </div>
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              checked={v.asks_for_name ?? false}
              disabled={!may}
              onChange={(e) => set({ asks_for_name: e.target.checked })}
            />
            Guests must say their name
          </label>
          {line("Heading", "what stands above; the title when left out", v.look?.heading, (heading) =>
            look({ heading }),
          )}
          {text("Text", "what stands below it", 2, v.look?.text, (t) => look({ text: t }))}
          {text("Terms", "to what guests agree", 5, v.look?.terms, (terms) => look({ terms }))}
          <div className="grid grid-cols-3 gap-2">
            {line("Button", "what stands on it", v.look?.button, (button) => look({ button }))}
            {line("Its colour", "such as #0b5d7a", v.look?.accent, (accent) => look({ accent }), { mono: true })}
            {line("Behind", "colour of the ground", v.look?.ground, (ground) => look({ ground }), { mono: true })}
          </div>
          {portal && may && (
            <Field label="Picture" help="PNG or JPEG, at most 256 KiB and 1000 points a side">
              {(id, by) => (
                <div className="flex items-center gap-2">
                  <input id={id} aria-describedby={by} type="file" accept="image/png,image/jpeg" onChange={choose} />
                  {portal.has_picture && (
                    <Button
                      className="!h-6"
                      onClick={() =>
                        picture.mutate(
                          { name: portal.name, picture: "" },
                          { onSuccess: () => setPictures((n) => n + 1) },
                        )
                      }
                    >
                      Take it off
                    </Button>
                  )}
                </div>
              )}
            </Field>
          )}
          {may && (
            <div className="flex justify-end gap-2">
              {portal && <Button onClick={() => setRemoving(true)}>Remove…</Button>}
              <Button type="submit" kind="main" disabled={put.isPending || name === ""}>
                Keep it
              </Button>
            </div>
          )}
        </form>
        <Preview name={name || "new"} v={v} again={pictures} />
      </div>
      {removing && portal && (
        <Modal
          open
          onOpenChange={() => setRemoving(false)}
          title={`Remove portal ${portal.name}?`}
          description="Its vouchers are gone with it. Who came stays in the list."
        >
          <div className="flex justify-end gap-2">
            <Button onClick={() => setRemoving(false)}>Leave it</Button>
            <Button
              kind="main"
              onClick={() => remove.mutate(portal.name, { onSuccess: close, onSettled: () => setRemoving(false) })}
            >
              Remove
            </Button>
          </div>
        </Modal>
      )}
    </Panel>
  );
}

const requestOf = (p: GuestPortal): GuestPortalRequest => ({
  title: p.title,
  way: p.way,
  minutes: p.minutes,
  rate_kbps: p.rate_kbps,
  asks_for_name: p.asks_for_name,
  look: p.look,
});

/** The page as guests would see it, on a phone and at a desk. */
function Preview({ name, v, again }: { name: string; v: GuestPortalRequest; again: number }) {
  const shown = useDeferredValue(v);
  const part = {
    ...shown,
    look: { ...shown.look, terms: shown.look?.terms?.slice(0, 1500), text: shown.look?.text?.slice(0, 500) },
  };
  const src = `/api/v1/guest-portals/${encodeURIComponent(name)}/preview?look=${encodeURIComponent(JSON.stringify(part))}${again ? `#${again}` : ""}`;
  return (
    <div className="flex flex-wrap items-start gap-4">
      {(
        [
          ["On a phone", 360, 640, 0.7],
          ["At a desk", 1100, 800, 0.27],
        ] as const
      ).map(([title, width, height, scale]) => (
        <figure key={title} className="grid gap-1">
          <figcaption className="text-sm text-soft">{title}</figcaption>
          <div className="overflow-hidden border border-rule" style={{ width: width * scale, height: height * scale }}>
            <iframe
              key={again}
              title={`The page ${title.toLowerCase()}`}
              src={src}
              sandbox="allow-same-origin"
              tabIndex={-1}
              style={{ width, height, transform: `scale(${scale})`, transformOrigin: "0 0", border: 0 }}
            />
          </div>
        </figure>
      ))}
    </div>
  );
}
