/** The tray of pictures: those of the scene and those that ship, with their size; each can be replaced in place. */
import { ImagePlus, Replace, Trash2 } from "lucide-react";
import { type Asset, json, type Scene } from "../api/client";
import { edit, NONE, takePicture, useStore } from "../state/store";
import { IconButton } from "../widgets/Button";
import { FileButton } from "../widgets/FileButton";
import { NameField } from "../widgets/NameField";

const ACCEPT = ".png,.jpg,.jpeg,.webp,.tif,.tiff,.exr";

async function rename(old: string, wanted: string) {
  const { scene } = useStore.getState();
  const answer = await json<{ scene: Scene }>("POST", "/asset-names", { scene, old, new: wanted });
  edit(`Rename ${old} to ${wanted}`, () => answer.scene);
}

function Chooser({ label, instead, icon }: { label: string; instead?: string; icon: React.ReactNode }) {
  return <FileButton label={label} name={`${label}, file`} accept={ACCEPT} icon={icon} onFile={(file) => void takePicture(file, instead)} />;
}

export function Pictures() {
  const assets = useStore((s) => s.scene?.assets ?? (NONE as Asset[]));
  const shipped = useStore((s) => s.shipped);
  return (
    <section aria-label="Pictures">
      <div className="flex h-6.5 items-center justify-between">
        <h2 className="heading">Pictures</h2>
        <Chooser label="Add a picture" icon={<ImagePlus size={14} />} />
      </div>
      <ul className="flex flex-col gap-1">
        {assets.map((a) => (
          <li key={a.name} className="flex items-center gap-1.5 px-1.5">
            <Small source={a.digest} name={a.name} />
            <span className="min-w-0 grow">
              <NameField label={`Name of the picture ${a.name}`} name={a.name} className="quiet w-full" onRename={(wanted) => rename(a.name, wanted)} />
              <span className="block text-[11px] text-soft tabular">{`${a.width} × ${a.height}`}</span>
            </span>
            <Chooser label={`Replace ${a.name}`} instead={a.name} icon={<Replace size={12} />} />
            <IconButton label={`Remove the picture ${a.name}`} onClick={() => edit(`Remove the picture ${a.name}`, (scene) => ({ ...scene, assets: scene.assets.filter((b) => b.name !== a.name) }))}>
              <Trash2 size={12} />
            </IconButton>
          </li>
        ))}
        <li className="flex gap-1.5 px-1.5" aria-label="Pictures that ship">
          {shipped.map((p) => (
            <Small key={p.name} source={p.name} grey name={`${p.name}, ${p.width} × ${p.height}, ships`} />
          ))}
        </li>
      </ul>
    </section>
  );
}

/** What ships is shown grey: the artist's colours are the only ones on the screen. */
function Small({ source, name, grey }: { source: string; name: string; grey?: boolean }) {
  return <img src={`/api/assets/${encodeURIComponent(source)}`} alt={name} title={name} className={`size-9 flex-none rounded border border-line bg-well object-contain ${grey ? "grayscale" : ""}`} />;
}
