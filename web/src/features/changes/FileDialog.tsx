import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Download, FileUp } from "lucide-react";
import { type ChangeEvent, useState } from "react";
import { toast } from "sonner";
import { api, type Person, take } from "../../api/client";
import { keys } from "../../api/queries";
import { useView } from "../../app/view";
import { Button, Field, inputClass, Modal } from "../../ui/controls";
import { many } from "../../ui/time";
import { useOwnDraft } from "../settings/queries";

/** Writes the settings of the devices in scope as a file. */
export function ExportButton() {
  const [scope] = useView("scope");
  const write = useMutation({
    mutationFn: () => take(api.POST("/api/v1/settings/export", { body: { where: scope } })),
    onSuccess: (file) => {
      const url = URL.createObjectURL(new Blob([file.text], { type: "application/yaml" }));
      const a = document.createElement("a");
      a.href = url;
      a.download = "settings.yaml";
      a.click();
      URL.revokeObjectURL(url);
      toast(`The settings of ${many(file.devices, "device")} are in settings.yaml.`);
    },
    onError: (e) => toast.error(e.message),
  });
  return (
    <Button onClick={() => write.mutate()} disabled={write.isPending}>
      <Download size={14} aria-hidden /> Export settings
    </Button>
  );
}

/** Turns a file of settings into a draft: shows first what it would make different. */
export function FileDialog({ me }: { me: Person }) {
  const [open, setOpen] = useState(false);
  const [text, setText] = useState("");
  const [whole, setWhole] = useState(false);
  const [, setTray] = useView("tray");
  const draft = useOwnDraft(me);
  const qc = useQueryClient();
  const look = useMutation({
    mutationFn: (dry: boolean) =>
      take(
        api.POST("/api/v1/changes/from-file", {
          body: { text, whole, dry_run: dry, change: dry ? undefined : draft, why: dry ? undefined : "from a file" },
        }),
      ),
    onSuccess: (answer) => {
      if (!answer.change) return;
      void qc.invalidateQueries({ queryKey: keys.changes });
      setOpen(false);
      setTray(String(answer.change.number));
    },
  });
  const read = async (e: ChangeEvent<HTMLInputElement>) => {
    const file = e.target.files?.[0];
    if (!file) return;
    setText(await file.text());
    look.reset();
  };
  const seen = look.data;
  return (
    <>
      <Button onClick={() => setOpen(true)}>
        <FileUp size={14} aria-hidden /> Draft from a file…
      </Button>
      <Modal
        open={open}
        onOpenChange={setOpen}
        wide
        title="Draft from a file"
        description="A file of settings, as they are exported. It is shown what it would make different before anything goes into a draft."
      >
        <div className="grid gap-2">
          <Field label="File" help="YAML">
            {(id, by) => (
              <input
                id={id}
                aria-describedby={by}
                type="file"
                accept=".yaml,.yml"
                className="text-sm"
                onChange={read}
              />
            )}
          </Field>
          <Field label="Or its text" help="Paste it here, or change what was read">
            {(id, by) => (
              <textarea
                id={id}
                aria-describedby={by}
                rows={9}
                spellCheck={false}
                className={`${inputClass} !h-auto whitespace-pre font-mono text-sm`}
                value={text}
                onChange={(e) => {
                  setText(e.target.value);
                  look.reset();
                }}
              />
            )}
          </Field>
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              checked={whole}
              onChange={(e) => {
                setWhole(e.target.checked);
                look.reset();
              }}
            />
            What the file does not name on its devices goes back to its default
          </label>
          {look.isError && (
            <p role="alert" className="max-h-32 overflow-auto text-down">
              {look.error.message}
            </p>
          )}
          {seen && (
            <div className="max-h-56 overflow-auto rounded border border-rule px-2 py-1.5 text-sm">
              <p className="font-medium">
                {seen.differences.length === 0
                  ? `Nothing differs: all ${seen.objects} things are as the file says.`
                  : `${many(seen.differences.length, "setting")} would differ:`}
              </p>
              <ul className="font-mono">
                {seen.differences.slice(0, 200).map((d) => (
                  <li key={d.port + d.field}>
                    {d.port} {d.field}: <del className="bg-minus no-underline">{d.before || "empty"}</del>{" "}
                    <ins className="bg-plus no-underline">{d.after || "empty"}</ins>
                  </li>
                ))}
              </ul>
              {seen.differences.length > 200 && <p className="text-soft">and {seen.differences.length - 200} more</p>}
            </div>
          )}
          <div className="flex justify-end gap-2">
            <Button onClick={() => setOpen(false)}>Cancel</Button>
            {seen && seen.differences.length > 0 ? (
              <Button kind="main" onClick={() => look.mutate(false)} disabled={look.isPending}>
                {draft ? `Add to draft ${draft}` : "Put into a new draft"}
              </Button>
            ) : (
              <Button kind="main" onClick={() => look.mutate(true)} disabled={!text.trim() || look.isPending}>
                Show what differs
              </Button>
            )}
          </div>
        </div>
      </Modal>
    </>
  );
}
