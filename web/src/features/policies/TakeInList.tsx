import { useMutation } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { allowed, api, type Person, take } from "../../api/client";
import { useView } from "../../app/view";
import { Button, Failure, Field, Modal, TextField } from "../../ui/controls";
import { useOwnDraft } from "../settings/queries";

/** Takes in a list of what is in which category, for firewalls. */
export function TakeInList({ me }: { me: Person }) {
  const [asking, ask] = useState(false);
  if (!allowed(me, "change", "devices")) return null;
  return (
    <div className="flex items-center gap-3 border-t border-rule px-3 py-1.5">
      <span className="text-soft">What is in a category, whatever the firewall takes it for itself.</span>
      <span className="grow" />
      <Button className="!h-6" onClick={() => ask(true)}>
        Take in a list…
      </Button>
      {asking && <Ask me={me} close={() => ask(false)} />}
    </div>
  );
}

function Ask({ me, close }: { me: Person; close: () => void }) {
  const [name, setName] = useState("");
  const [where, setWhere] = useState("kind = firewall");
  const [text, setText] = useState("");
  const [, setTray] = useView("tray");
  const draft = useOwnDraft(me);
  const put = useMutation({
    mutationFn: () =>
      take(
        api.POST("/api/v1/web-lists", { body: { name: name.trim(), where, text, ...(draft && { change: draft }) } }),
      ),
    onSuccess: (a) => {
      const refused = a.results.find((r) => r.outcome === "refused");
      if (refused) throw new Error(refused.why ?? refused.on);
      close();
      if (a.change) setTray(String(a.change.number));
    },
  });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    put.mutate();
  };
  return (
    <Modal
      open
      onOpenChange={close}
      title="Take in a list of categories"
      description="It goes into a draft, as a template that the firewalls follow, now and whoever comes later. A list that is taken in again takes the place of the one before."
    >
      <form className="grid gap-3" onSubmit={submit}>
        <TextField
          label="Name"
          help={name.trim() ? `the template is web-${name.trim().toLowerCase()}` : "of the list"}
          value={name}
          set={setName}
        />
        <TextField label="On firewalls" help="a selector" value={where} set={setWhere} />
        <Field label="File" help="Lines of a domain, which stands for all below it, and a category; comments after #.">
          {(id, of) => (
            <input
              id={id}
              aria-describedby={of}
              type="file"
              className="block w-full text-sm"
              onChange={(e) => void e.target.files?.[0]?.text().then(setText)}
            />
          )}
        </Field>
        {put.error && <Failure error={put.error} />}
        <div className="flex justify-end gap-2">
          <Button onClick={close}>Cancel</Button>
          <Button type="submit" kind="main" disabled={!name.trim() || !where.trim() || !text || put.isPending}>
            Into the draft
          </Button>
        </div>
      </form>
    </Modal>
  );
}
