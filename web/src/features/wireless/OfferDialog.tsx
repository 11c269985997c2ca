import { Plus } from "lucide-react";
import { type FormEvent, useState } from "react";
import { toast } from "sonner";
import type { Person } from "../../api/client";
import { useReading } from "../../api/lists";
import { useView } from "../../app/view";
import { Button, Field, inputClass, Modal } from "../../ui/controls";
import { useBulk, useOwnDraft } from "../settings/queries";

const securities: [string, string][] = [
  ["wpa2-wpa3-personal", "who knows the passphrase (WPA2, WPA3)"],
  ["wpa3-personal", "who knows the passphrase (WPA3 only)"],
  ["wpa2-personal", "who knows the passphrase (WPA2)"],
  ["wpa3-enterprise", "whom a RADIUS server lets in (WPA3)"],
  ["wpa2-enterprise", "whom a RADIUS server lets in (WPA2)"],
  ["owe", "anybody, encrypted (OWE)"],
  ["open", "anybody, not encrypted"],
];

/** Offers a wireless network on all access points that a selector picks: as a template that they follow, in a draft. */
export function OfferDialog({ me }: { me: Person }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button kind="main" onClick={() => setOpen(true)}>
        <Plus size={15} aria-hidden /> Offer a network…
      </Button>
      {open && <Form me={me} close={() => setOpen(false)} />}
    </>
  );
}

function Form({ me, close }: { me: Person; close: () => void }) {
  const [v, setV] = useState({
    ssid: "",
    where: "kind = access-point",
    security: "wpa2-wpa3-personal",
    passphrase: "",
    radius: "",
    secret: "",
    vlan: "",
    bands: "",
    hours: "",
    rate: "",
    own: "",
    apart: false,
  });
  const [, setTray] = useView("tray");
  const draft = useOwnDraft(me);
  const bulk = useBulk();
  const reading = useReading(v.where);
  const personal = v.security.endsWith("-personal");
  const enterprise = v.security.endsWith("-enterprise");
  const name = v.ssid
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-+|-+$/g, "")
    .slice(0, 40);
  const octets = new TextEncoder().encode(v.ssid).length;
  const ready =
    name !== "" &&
    octets <= 32 &&
    v.where.trim() !== "" &&
    (!personal || v.passphrase.length >= 8) &&
    (!enterprise || (v.radius.trim() !== "" && v.secret !== ""));
  const submit = (e: FormEvent) => {
    e.preventDefault();
    const said: [string, string][] = [
      ["ssid", v.ssid],
      ["security", v.security],
      ["passphrase", personal ? v.passphrase : ""],
      ["wlan-radius", enterprise ? v.radius : ""],
      ["wlan-radius-secret", enterprise ? v.secret : ""],
      ["wlan-vlan", v.vlan],
      ["bands", v.bands],
      ["offered-hours", v.hours],
      ["station-rate", v.rate],
      ["station-network", v.own],
      ["station-isolation", v.apart ? "on" : ""],
    ];
    const set: Record<string, string> = { present: "on" };
    for (const [field, value] of said) if (value.trim() !== "") set[field] = value.trim();
    const template = `template/wlan-${name}`;
    bulk.mutate(
      {
        change: draft,
        rows: [
          {
            on: [`${template}:self`],
            set: { present: "on", title: `Wireless network ${v.ssid}`, for: "devices", pick: v.where },
          },
          { on: [`${template}:wlan/${name}`], set },
        ],
      },
      {
        onSuccess: (a) => {
          const refused = a.results.find((r) => r.outcome === "refused");
          if (refused || !a.change) {
            toast.error(refused?.why ?? "Nothing is different: it is offered so already.");
            return;
          }
          setTray(String(a.change.number));
          close();
        },
      },
    );
  };
  const text = (
    field: Exclude<keyof typeof v, "apart">,
    label: string,
    help: string,
    more?: { type?: string; max?: number; mono?: boolean; error?: string },
  ) => (
    <Field label={label} help={help} error={more?.error}>
      {(id, by) => (
        <input
          id={id}
          aria-describedby={by}
          type={more?.type}
          autoComplete={more?.type === "password" ? "new-password" : "off"}
          maxLength={more?.max}
          className={more?.mono ? `${inputClass} font-mono` : inputClass}
          value={v[field]}
          onChange={(e) => setV({ ...v, [field]: e.target.value })}
        />
      )}
    </Field>
  );
  return (
    <Modal
      open
      wide
      onOpenChange={(on) => !on && close()}
      title="Offer a wireless network"
      description="It goes into a draft, as a template that the access points follow, now and whoever comes later. Nothing is sent to a device yet."
    >
      <form onSubmit={submit} className="grid gap-x-3 gap-y-1 sm:grid-cols-2">
        {text("ssid", "Name in the air", name ? `known here as ${name}` : "what stations call it", {
          error: octets > 32 ? `It has ${octets} octets; 32 are the most` : undefined,
        })}
        {text(
          "where",
          "On access points",
          reading.data?.fault ? "" : `a selector; it picks ${reading.data?.devices ?? "…"} devices`,
          { mono: true, error: reading.data?.fault?.problem },
        )}
        <Field label="Who may join">
          {(id) => (
            <select
              id={id}
              className={inputClass}
              value={v.security}
              onChange={(e) => setV({ ...v, security: e.target.value })}
            >
              {securities.map(([value, word]) => (
                <option key={value} value={value}>
                  {word}
                </option>
              ))}
            </select>
          )}
        </Field>
        {personal ? (
          text("passphrase", "Passphrase", "8 to 63 characters; it is sealed, and never shown again", {
            type: "password",
            max: 63,
          })
        ) : enterprise ? (
          <div className="grid grid-cols-2 gap-3">
            {text("radius", "RADIUS servers", "addresses, in the order of asking", { mono: true })}
            {text("secret", "Shared secret", "it is sealed", { type: "password" })}
          </div>
        ) : (
          <span />
        )}
        {text("vlan", "VLAN", "of its stations; that of the access point when left out")}
        {text("bands", "Bands", "such as 5, in GHz; all when left out")}
        {text("hours", "Hours", "such as mon-fri 06:00-19:00; always when left out")}
        {text("rate", "Rate of each station", "such as 5M; no limit when left out")}
        {text(
          "own",
          "Network of its own",
          "such as 192.168.80.1/24: the access point gives the addresses, and hides the stations behind its own",
          {
            mono: true,
          },
        )}
        <label className="flex items-center gap-2 sm:col-span-2">
          <input type="checkbox" checked={v.apart} onChange={(e) => setV({ ...v, apart: e.target.checked })} /> Its
          stations do not reach each other
        </label>
        <div className="flex justify-end gap-2 sm:col-span-2">
          <Button onClick={close}>Leave it</Button>
          <Button type="submit" kind="main" disabled={!ready || bulk.isPending}>
            Put it into a draft
          </Button>
        </div>
      </form>
    </Modal>
  );
}
