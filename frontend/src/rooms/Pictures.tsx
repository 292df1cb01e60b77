/** The tray of the scene's pictures and small meshes, with their size; each can be replaced in place. */
import { Box, ImagePlus, Replace, Trash2 } from "lucide-react";
import { type Asset, json, type Scene } from "../api/client";
import { useEndings } from "../state/endings";
import { edit, NONE, takePicture, useStore } from "../state/store";
import { IconButton } from "../widgets/Button";
import { FileButton } from "../widgets/FileButton";
import { NameField } from "../widgets/NameField";
import { Section } from "../widgets/Section";

const ACCEPT = ".png,.jpg,.jpeg,.webp,.tif,.tiff,.exr";

async function rename(old: string, wanted: string) {
  const { scene } = useStore.getState();
  const answer = await json<{ scene: Scene }>("POST", "/asset-names", { scene, old, new: wanted });
  edit(`Rename ${old} to ${wanted}`, () => answer.scene);
}

function Chooser({ label, instead, icon, accept = ACCEPT }: { label: string; instead?: string; icon: React.ReactNode; accept?: string }) {
  return <FileButton label={label} name={`${label}, file`} accept={accept} icon={icon} onFile={(file) => void takePicture(file, instead)} />;
}

export function Pictures() {
  const assets = useStore((s) => s.scene?.assets ?? (NONE as Asset[]));
  const meshes = useEndings("shapes");
  return (
    <Section
      name="Pictures, meshes"
      label="Pictures and meshes"
      count={assets.length}
      actions={
        <>
          <Chooser label="Add a small mesh" accept={meshes} icon={<Box size={14} />} />
          <Chooser label="Add a picture" icon={<ImagePlus size={14} />} />
        </>
      }
    >
      <ul className="flex flex-col gap-1">
        {assets.map((a) => (
          <li key={a.name} className="flex items-center gap-1.5 px-1.5">
            {a.kind === "mesh" ? (
              <span className="grid size-9 flex-none place-items-center rounded border border-line bg-well text-soft">
                <Box size={16} aria-hidden />
              </span>
            ) : (
              <Small source={a.digest} name={a.name} />
            )}
            <span className="min-w-0 grow">
              <NameField label={`Name of the ${a.kind} ${a.name}`} name={a.name} className="quiet w-full" onRename={(wanted) => rename(a.name, wanted)} />
              <span className="block text-[11px] text-soft tabular">{a.kind === "mesh" ? `${a.width.toLocaleString("en-GB")} triangles` : `${a.width} × ${a.height}`}</span>
            </span>
            <Chooser label={`Replace ${a.name}`} instead={a.name} accept={a.kind === "mesh" ? meshes : ACCEPT} icon={<Replace size={12} />} />
            <IconButton label={`Remove the ${a.kind} ${a.name}`} onClick={() => edit(`Remove the ${a.kind} ${a.name}`, (scene) => ({ ...scene, assets: scene.assets.filter((b) => b.name !== a.name) }))}>
              <Trash2 size={12} />
            </IconButton>
          </li>
        ))}
      </ul>
    </Section>
  );
}

function Small({ source, name }: { source: string; name: string }) {
  return <img src={`/api/assets/${encodeURIComponent(source)}`} alt={name} title={name} className={`size-9 flex-none rounded border border-line bg-well object-contain`} />;
}
