/** A picture on each element: which, how it lies, its two versions, and what cuts it out. */
import { Plus, Trash2 } from "lucide-react";
import type { ElementPicture, Look } from "../api/client";
import { draftLook, editLook, useStore } from "../state/store";
import { Button, IconButton } from "../widgets/Button";
import { NumberField } from "../widgets/NumberField";
import { Parameters } from "./Parameters";

const PLAIN = { hue_turn: 0, saturation: 1, brightness: 1, contrast: 1, gamma: 1 };
export const FRESH_PICTURE: ElementPicture = {
  picture: null, grey: true, shift: [0, 0], size: [1, 1], turn: 0, through: 1, first: PLAIN, second: PLAIN, cut: "none", threshold: 0.5,
}; // prettier-ignore

/** Put a picture on the elements of the chosen population, where there is none. */
export function addPicture() {
  editLook("Put a picture on the elements", (l) => ({ ...l, picture: l.picture ?? FRESH_PICTURE }));
}

export function ElementPictures({ look }: { look: Look }) {
  const { picture } = look;
  return (
    <section aria-label="Picture on elements" className="flex flex-col gap-1.5">
      <div className="flex h-6 items-center gap-1">
        <h2 className="heading grow">Picture on elements</h2>
        {picture === null ? (
          <Button onClick={addPicture}>
            <Plus size={13} aria-hidden />
            Add a picture
          </Button>
        ) : (
          <IconButton label="Take the picture away" onClick={() => editLook("Take the picture away", (l) => ({ ...l, picture: null }))}>
            <Trash2 size={13} />
          </IconButton>
        )}
      </div>
      {picture === null ? (
        <p className="panel p-3 text-center text-soft">A picture lies on each element’s own uv; the base colour tints it.</p>
      ) : (
        <div className="panel p-2">
          <PictureEditor
            picture={picture}
            onDraft={(to) => draftLook((l) => ({ ...l, picture: to }))}
            onCommit={(to, label) => editLook(label, (l) => ({ ...l, picture: to }))}
          />
        </div>
      )}
    </section>
  );
}

interface Props {
  picture: ElementPicture;
  onDraft: (picture: ElementPicture) => void;
  onCommit: (picture: ElementPicture, label: string) => void;
}

export function PictureEditor({ picture, onDraft, onCommit }: Props) {
  const schemas = useStore((s) => s.material);
  if (!schemas.picture || !schemas.version) return null;
  const values = picture as unknown as Record<string, unknown>;
  return (
    <div className="flex flex-col gap-2">
      <Parameters
        values={values}
        schema={schemas.picture}
        skip={["shift", "size", "first", "second", ...(picture.cut === "none" ? ["threshold"] : [])]}
        onDraft={(v) => onDraft(v as unknown as ElementPicture)}
        onCommit={(v, label) => onCommit(v as unknown as ElementPicture, label)}
      />
      {(["shift", "size"] as const).map((name) => (
        <div key={name} role="group" aria-label={`${name} of the picture`} className="flex items-center gap-1.5">
          <span className="w-[52px] text-soft capitalize">{name}</span>
          {["across", "up"].map((axis, k) => (
            <NumberField
              key={axis}
              label={`${name} ${axis}`}
              hideLabel
              value={picture[name][k]!}
              min={name === "size" ? 0.001 : -10000}
              max={name === "size" ? 1000 : 10000}
              onDraft={(v) => onDraft({ ...picture, [name]: picture[name].map((old, i) => (i === k ? v : old)) as [number, number] })}
              onCommit={(v) => onCommit({ ...picture, [name]: picture[name].map((old, i) => (i === k ? v : old)) as [number, number] }, `Change the ${name} of the picture`)}
            />
          ))}
        </div>
      ))}
      {(["first", "second"] as const).map((version) => (
        <div key={version} role="group" aria-label={`${version} version`} className="border-t border-line pt-1.5">
          <h3 className="mb-1 text-soft">{version === "first" ? "First version" : "Second version (the channel Picture mix goes towards it)"}</h3>
          <Parameters
            values={picture[version] as unknown as Record<string, unknown>}
            schema={schemas.version!}
            onDraft={(v) => onDraft({ ...picture, [version]: v })}
            onCommit={(v, label) => onCommit({ ...picture, [version]: v }, label)}
          />
        </div>
      ))}
    </div>
  );
}
