/** Which look a population wears: its own, or one that lives in the scene and that others wear too. */
import { Shirt } from "lucide-react";
import { json, type PopulationDocument, type Scene } from "../api/client";
import { free, lookOf, withPopulation } from "../state/edits";
import { edit, NONE, useStore } from "../state/store";
import { ActionMenu } from "../widgets/ActionMenu";
import { NameField } from "../widgets/NameField";

/** Put the look that a population wears into the scene, so that others can wear it. */
export function shareLook(id: string) {
  edit("Share the look", (scene) => {
    const population = scene.populations.find((p) => p.id === id);
    if (!population || population.wears !== null) return scene;
    const taken = scene.looks.map((shared) => shared.name);
    const name = free(population.name.slice(0, 90), taken, " ");
    const looks = [...scene.looks, { name, look: population.look }];
    return withPopulation({ ...scene, looks }, id, (p) => ({ ...p, wears: name }));
  });
}

/** Give a population a look of its own, as the one that it wears now. */
export function makeOwn(id: string) {
  edit("Make the look its own", (scene) => {
    const population = scene.populations.find((p) => p.id === id);
    if (!population) return scene;
    const look = lookOf(scene, population);
    const parted = withPopulation(scene, id, (p) => ({ ...p, look, wears: null }));
    // A look that nobody wears any more has gone with its last wearer.
    const looks = parted.looks.filter((shared) => parted.populations.some((p) => p.wears === shared.name));
    return { ...parted, looks };
  });
}

export function wear(id: string, name: string) {
  edit(`Wear ${name}`, (scene) => withPopulation(scene, id, (p) => ({ ...p, wears: name })));
}

export function Wears({ population }: { population: PopulationDocument }) {
  const looks = useStore((s) => s.scene?.looks ?? (NONE as Scene["looks"]));
  const { id, wears } = population;
  const wearers = useStore((s) => s.scene?.populations.filter((p) => p.wears === wears && wears !== null).length ?? 0);
  if (wears === null && looks.length === 0) return null;

  async function rename(wanted: string) {
    const { scene } = useStore.getState();
    const answer = await json<{ scene: Scene }>("POST", "/look-names", { scene, old: wears, new: wanted });
    edit(`Rename ${wears} to ${wanted}`, () => answer.scene);
  }

  const items = [
    ...looks.filter(({ name }) => name !== wears).map(({ name }) => ({ label: `Wear ${name}`, icon: Shirt, run: () => wear(id, name) })),
    ...(wears === null ? [{ label: "Share this look", run: () => shareLook(id) }] : [{ label: "Make own", run: () => makeOwn(id) }]),
  ];
  return (
    <div className="-mb-1 flex items-center gap-2" role="group" aria-label="Look">
      <Shirt size={13} className="flex-none text-soft" aria-hidden />
      {wears === null ? (
        <span className="text-soft">A look of its own</span>
      ) : (
        <>
          <NameField label="Name of the shared look" name={wears} className="font-semibold" onRename={rename} />
          <span className="flex-none text-soft">
            worn by {wearers} {wearers === 1 ? "population" : "populations"}
          </span>
        </>
      )}
      <span className="ml-auto" />
      <ActionMenu dots label="Looks of the scene" items={items} />
    </div>
  );
}
