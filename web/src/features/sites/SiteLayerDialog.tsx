import type { Person, Site } from "../../api/client";
import { Failure, Modal } from "../../ui/controls";
import { LayerSettings } from "../layers/LayerSettings";
import { useSiteLayer } from "../layers/queries";

/** What is said for all devices of a site: stronger than templates, weaker than what a device says itself. */
export function SiteLayerDialog({ site, me, close }: { site: Site; me: Person; close: () => void }) {
  const layer = useSiteLayer(site.name);
  return (
    <Modal
      open
      wide
      onOpenChange={(o) => !o && close()}
      title={`Settings for ${site.title}`}
      description="Settings for all devices of the site that have no value of their own. They go into a draft."
    >
      {layer.isError ? (
        <Failure error={layer.error} retry={() => void layer.refetch()} />
      ) : layer.data ? (
        <LayerSettings owner={`site/${site.name}`} ports={false} says={layer.data.says} me={me} />
      ) : (
        <p className="text-soft">Reading…</p>
      )}
    </Modal>
  );
}
