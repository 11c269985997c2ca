import { clsx } from "clsx";
import { Download, X } from "lucide-react";
import { Dialog } from "radix-ui";
import { type ComponentProps, type ReactNode, useId } from "react";

type ButtonProps = ComponentProps<"button"> & { kind?: "plain" | "main" | "danger" | "quiet" };

export function Button({ kind = "plain", className, type = "button", ...rest }: ButtonProps) {
  return (
    <button
      type={type}
      className={clsx(
        "inline-flex h-7 items-center justify-center gap-1.5 whitespace-nowrap rounded-sm px-2.5 font-medium disabled:opacity-50",
        kind === "plain" && "border border-rule bg-raised hover:border-soft",
        kind === "main" && "border border-accent bg-accent text-on-accent hover:brightness-110",
        kind === "danger" && "border border-down bg-raised text-down hover:bg-minus",
        kind === "quiet" && "text-soft hover:bg-ground hover:text-ink",
        className,
      )}
      {...rest}
    />
  );
}

export const inputClass =
  "h-7 w-full rounded-sm border border-rule bg-raised px-2 text-ink placeholder:text-soft hover:border-soft disabled:opacity-60";

export function Field({
  label,
  meaning,
  help,
  error,
  children,
}: {
  label: string;
  meaning?: string;
  help?: ReactNode;
  error?: string;
  children: (id: string, describedBy: string) => ReactNode;
}) {
  const id = useId();
  return (
    <div className="min-w-0">
      <label htmlFor={id} title={meaning} className="mb-0.5 block text-sm font-medium">
        {label}
      </label>
      {children(id, `${id}-help`)}
      <p id={`${id}-help`} className={clsx("mt-0.5 text-xs", error ? "text-down" : "text-soft")}>
        {error ?? help}
      </p>
    </div>
  );
}

/** A field for words of machines: names, addresses, numbers. */
export function TextField({
  label,
  help,
  value,
  set,
  secret,
}: {
  label: string;
  help: ReactNode;
  value: string;
  set: (value: string) => void;
  secret?: boolean;
}) {
  return (
    <Field label={label} help={help}>
      {(id, of) => (
        <input
          id={id}
          aria-describedby={of}
          type={secret ? "password" : "text"}
          autoComplete="off"
          className={`${inputClass} font-mono`}
          value={value}
          onChange={(e) => set(e.target.value)}
        />
      )}
    </Field>
  );
}

export function Modal({
  open,
  onOpenChange,
  title,
  description,
  children,
  wide,
}: {
  open: boolean;
  onOpenChange: (open: boolean) => void;
  title: string;
  description?: ReactNode;
  children: ReactNode;
  wide?: boolean;
}) {
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/40 print:hidden" />
        <Dialog.Content
          className={clsx(
            "fixed left-1/2 top-24 z-50 max-h-[80vh] w-[92vw] -translate-x-1/2 overflow-auto rounded border border-rule bg-panel p-4 shadow-xl print:static print:max-h-none print:w-full print:translate-x-0 print:border-0 print:shadow-none",
            wide ? "max-w-2xl" : "max-w-md",
          )}
        >
          <div className="mb-2 flex items-start justify-between gap-4">
            <Dialog.Title className="text-lg font-semibold">{title}</Dialog.Title>
            <Dialog.Close asChild>
              <Button kind="quiet" aria-label="Close" className="px-1">
                <X size={16} />
              </Button>
            </Dialog.Close>
          </div>
          <Dialog.Description asChild>
            <div className="mb-3 text-soft">{description}</div>
          </Dialog.Description>
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

export function Panel({
  title,
  aside,
  children,
  className,
}: {
  title?: ReactNode;
  aside?: ReactNode;
  children: ReactNode;
  className?: string;
}) {
  return (
    <section className={clsx("overflow-hidden rounded border border-rule bg-panel", className)}>
      {title && (
        <header className="flex h-8 items-center justify-between gap-3 border-b border-rule bg-buff px-3 text-buff-ink">
          <h2 className="truncate text-sm font-semibold">{title}</h2>
          <div className="text-xs">{aside}</div>
        </header>
      )}
      {children}
    </section>
  );
}

/** A region that scrolls, and so must be reachable by keyboard. */
export function ScrollRegion({ label, ...rest }: ComponentProps<"section"> & { label: string }) {
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: WCAG 2.1.1, what scrolls must be reachable
    <section aria-label={label} tabIndex={0} {...rest} />
  );
}

export function Empty({ title, children }: { title: string; children?: ReactNode }) {
  return (
    <div className="px-4 py-8 text-center">
      <p className="font-medium">{title}</p>
      <div className="mt-1 text-soft">{children}</div>
    </div>
  );
}

export function Failure({ error, retry }: { error: Error; retry?: () => void }) {
  return (
    <div role="alert" className="flex items-center justify-between gap-4 px-4 py-6">
      <p className="text-down">{error.message}</p>
      {retry && <Button onClick={retry}>Try again</Button>}
    </div>
  );
}

/** One of a few views of a page, as a row of buttons. */
export function Choices({
  label,
  value,
  of,
  pick,
  children,
}: {
  label: string;
  value: string;
  of: [value: string, word: string][];
  pick: (value: string) => void;
  children?: ReactNode;
}) {
  return (
    <fieldset className="flex flex-wrap gap-1" aria-label={label}>
      {of.map(([v, word]) => (
        <button
          key={v}
          type="button"
          aria-pressed={value === v}
          onClick={() => pick(v)}
          className="h-6 rounded-sm border border-rule px-2 text-sm hover:border-soft aria-pressed:border-accent aria-pressed:font-semibold"
        >
          {word}
        </button>
      ))}
      {children}
    </fieldset>
  );
}

/** A link to a file that the service makes, drawn as a button. */
export function FileLink({ href, title, children }: { href: string; title?: string; children: ReactNode }) {
  return (
    <a
      href={href}
      title={title}
      download
      className="inline-flex h-7 items-center gap-1.5 rounded border border-rule px-2.5 text-ink hover:border-soft hover:no-underline"
    >
      <Download size={14} aria-hidden /> {children}
    </a>
  );
}
