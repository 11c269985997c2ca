import { Command } from "cmdk";
import { Dialog } from "radix-ui";
import { type ReactNode, useMemo, useState } from "react";
import { useNavigate } from "react-router";
import { allowed, type Person } from "../api/client";
import { quote, useList } from "../api/lists";
import { isOpen, useChanges, useSignOut } from "../api/queries";
import { changeWord, HealthMark } from "../ui/health";
import { KindIcon } from "../ui/kinds";
import { setTheme } from "./theme";
import { useKept } from "./view";

type Item = { id: string; words: string; group: string; show: ReactNode; run: () => void };

/**
 * Go anywhere, do anything, by name. It filters by itself and holds the chosen item, so that what assistive technology is
 * told to be active is always there.
 */
export function Palette({ me, open, onOpenChange }: { me: Person; open: boolean; onOpenChange: (o: boolean) => void }) {
  const [text, setText] = useState("");
  const [value, setValue] = useState("");
  const navigate = useNavigate();
  const kept = useKept();
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const devices = useList("devices", { where: words.map(quote).join(" "), limit: 20 });
  const changes = useChanges();
  const signOut = useSignOut();
  const items = useMemo<Item[]>(() => {
    const go = (path: string) => () => navigate(path);
    const out: Item[] = [
      { id: "watch", words: "watch what needs attention", group: "Go to", show: "Watch", run: go(kept("/watch")) },
      {
        id: "alarms",
        words: "alarms faults trouble incidents",
        group: "Go to",
        show: "Alarms",
        run: go(kept("/alarms")),
      },
      { id: "devices", words: "devices", group: "Go to", show: "Devices", run: go(kept("/devices")) },
      { id: "ports", words: "ports", group: "Go to", show: "Ports", run: go(kept("/ports")) },
      { id: "map", words: "map topology links places racks", group: "Go to", show: "Map", run: go(kept("/map")) },
      { id: "clients", words: "clients stations", group: "Go to", show: "Clients", run: go(kept("/clients")) },
      { id: "sites", words: "sites places", group: "Go to", show: "Sites", run: go(kept("/sites")) },
      { id: "vlans", words: "vlans networks carry", group: "Go to", show: "VLANs", run: go("/vlans") },
      { id: "templates", words: "templates layers settings", group: "Go to", show: "Templates", run: go("/templates") },
      { id: "drift", words: "drift differs intended enrol put back", group: "Go to", show: "Drift", run: go("/drift") },
      { id: "groups", words: "groups saved scopes", group: "Go to", show: "Groups", run: go("/groups") },
      {
        id: "people",
        words: "people users roles rights audit log",
        group: "Go to",
        show: "People",
        run: go("/people"),
      },
      {
        id: "own",
        words: "own password tokens rights",
        group: "Go to",
        show: "Your rights, password and tokens",
        run: go("/own"),
      },
      { id: "changes", words: "changes history", group: "Go to", show: "Changes", run: go(kept("/changes")) },
      { id: "jobs", words: "jobs schedule recurring work runs", group: "Go to", show: "Jobs", run: go(kept("/jobs")) },
      {
        id: "firmware",
        words: "firmware images baseline upgrade versions",
        group: "Go to",
        show: "Firmware",
        run: go(kept("/firmware")),
      },
      {
        id: "policies",
        words: "policies firewalls rules zones addresses services security",
        group: "Go to",
        show: "Policies",
        run: go(kept("/policies")),
      },
      {
        id: "wireless",
        words: "wireless networks wlan ssid radios channels access points stations join passphrase",
        group: "Go to",
        show: "Wireless",
        run: go(kept("/wireless")),
      },
      {
        id: "between",
        words:
          "between sites paths tunnels join ipsec ikev2 hubs spokes mesh voice quality mos circuits providers caps wan customers lines service vlan",
        group: "Go to",
        show: "Between sites",
        run: go(kept("/between")),
      },
      {
        id: "what-if",
        words: "what if fails failure single points redundancy outage lost",
        group: "Do",
        show: "What is lost if something fails?",
        run: go(kept("/map?view=failures")),
      },
      {
        id: "guests",
        words: "guests portal captive vouchers visitors let in approve terms",
        group: "Go to",
        show: "Guests",
        run: go(kept("/guests")),
      },
      {
        id: "reach",
        words: "reach can it pass way path blocked why firewall access list",
        group: "Do",
        show: "Can one end reach another?",
        run: go(kept("/policies?view=reach")),
      },
      {
        id: "backups",
        words: "backups configurations kept restore find",
        group: "Go to",
        show: "Backups",
        run: go(kept("/backups")),
      },
      {
        id: "certificates",
        words: "certificates tls https authority renew expire end",
        group: "Go to",
        show: "Certificates",
        run: go(kept("/certificates")),
      },
    ];
    if (allowed(me, "operate", "devices"))
      out.push({
        id: "enrol",
        words: "enrol add device",
        group: "Do",
        show: "Enrol a device",
        run: go("/devices?enrol=1"),
      });
    if (allowed(me, "change", "ports"))
      out.push({
        id: "setup",
        words: "set up first guide site devices new",
        group: "Do",
        show: "Set devices up, step by step",
        run: go("/setup"),
      });
    if (allowed(me, "see", "changes"))
      out.push({
        id: "rules",
        words: "rules of the house change window hours approval second person four eyes",
        group: "Go to",
        show: "Rules of the house for changes",
        run: go("/changes?view=rules"),
      });
    if (allowed(me, "see", "discovery"))
      out.push({
        id: "discover",
        words: "discover search find devices neighbours",
        group: "Do",
        show: "Discover devices",
        run: go("/discover"),
      });
    if (allowed(me, "operate", "devices"))
      out.push({
        id: "claim",
        words: "claim expected serial number arrive call home bootstrap",
        group: "Do",
        show: "Claim a device by its serial number",
        run: go("/expected"),
      });
    for (const t of ["light", "dark", "system"] as const)
      out.push({
        id: `theme-${t}`,
        words: `theme ${t} night chart colours`,
        group: "Do",
        show: `Theme: ${t === "system" ? "as the system has it" : t === "dark" ? "night chart" : "light"}`,
        run: () => setTheme(t),
      });
    out.push({ id: "sign-out", words: "sign out log out", group: "Do", show: "Sign out", run: () => signOut.mutate() });
    for (const c of changes.data?.items.filter(isOpen) ?? [])
      out.push({
        id: `change-${c.number}`,
        words: `change draft ${c.number} ${c.why}`,
        group: "Open changes",
        show: `Change ${c.number}, ${changeWord(c.state)}${c.why ? `: ${c.why}` : ""}`,
        run: go(`${window.location.pathname}?tray=${c.number}`),
      });
    for (const d of devices.data?.items ?? [])
      out.push({
        id: `device-${d.name}`,
        words: text, // the service found it by them
        group: "Devices",
        show: (
          <>
            <KindIcon kind={d.kind} size={16} /> <span className="font-mono">{d.name}</span>
            <span className="text-soft">
              {d.maker} {d.model}
            </span>
            <span className="ml-auto">
              <HealthMark state={d.health} />
            </span>
          </>
        ),
        run: go(`/devices/${d.name}`),
      });
    return out;
  }, [me, text, devices.data, changes.data, navigate, kept, signOut]);
  const found = items.filter((i) => words.every((w) => i.words.toLowerCase().includes(w))).slice(0, 50);
  const chosen = found.some((i) => i.id === value) ? value : (found[0]?.id ?? "");
  const groups = [...new Set(found.map((i) => i.group))];
  return (
    <Dialog.Root
      open={open}
      onOpenChange={(o) => {
        setText("");
        onOpenChange(o);
      }}
    >
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/40" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed left-1/2 top-24 z-50 w-[92vw] max-w-xl -translate-x-1/2 overflow-hidden rounded border border-rule bg-panel shadow-xl"
        >
          <Dialog.Title className="sr-only">Find and do</Dialog.Title>
          <Command label="Find and do" shouldFilter={false} value={chosen} onValueChange={setValue} loop>
            <Command.Input
              value={text}
              onValueChange={setText}
              placeholder="Type a device, an area, or something to do"
              className="h-11 w-full border-b border-rule bg-transparent px-4 outline-none placeholder:text-soft"
            />
            <Command.List className="max-h-[50vh] overflow-auto p-1.5" label="What was found">
              {found.length === 0 && <p className="px-3 py-6 text-center text-soft">Nothing goes by these words.</p>}
              {groups.map((g) => (
                <Command.Group
                  key={g}
                  heading={g}
                  className="[&_[cmdk-group-heading]]:px-2.5 [&_[cmdk-group-heading]]:py-1 [&_[cmdk-group-heading]]:text-xs [&_[cmdk-group-heading]]:font-semibold [&_[cmdk-group-heading]]:text-soft"
                >
                  {found
                    .filter((i) => i.group === g)
                    .map((i) => (
                      <Command.Item
                        key={i.id}
                        value={i.id}
                        onSelect={() => {
                          onOpenChange(false);
                          setText("");
                          i.run();
                        }}
                        className="flex h-8 items-center gap-2 rounded-sm px-2.5 data-[selected=true]:bg-buff data-[selected=true]:text-buff-ink"
                      >
                        {i.show}
                      </Command.Item>
                    ))}
                </Command.Group>
              ))}
            </Command.List>
          </Command>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
