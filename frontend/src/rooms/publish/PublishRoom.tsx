/** Take the colours home: points with colours, the look, a picture. */
import { Download, Film, Image, TriangleAlert, X } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { fetchFile, folded, type Job, json, type Look } from "../../api/client";
import { type LookInScene, withPopulation } from "../../state/edits";
import { done, fileOf } from "../../state/jobs";
import { chosenPopulation, editLook, reachesTime, useStore } from "../../state/store";
import { view } from "../../view3d/current";
import { Button } from "../../widgets/Button";
import { FileButton } from "../../widgets/FileButton";
import { NumberField } from "../../widgets/NumberField";
import { NothingYet } from "../NothingYet";
import { Populations } from "../Populations";
import { Outputs } from "./Outputs";
import { save } from "./save";

/** Save a file of the chosen population: in a format by its word, or its look; of the frame that is shown, or of these. */
export async function download(format: string, told?: (job: Job) => void, signal?: AbortSignal, frames: [number, number] | null = null) {
  const { scene, sceneId, chosen, frame } = useStore.getState();
  const job = await done("exports", { scene, of: sceneId, population: chosen, format, frame, frames }, told, signal);
  const { blob, name } = await fileOf(job, undefined, signal);
  save(blob, name);
}

const LARGEST_SIDE = 8192;

const NO_TABLES: Record<string, number> = {};
const NO_LOSSES: Record<string, string[]> = {};

/** By format, what it cannot hold of the chosen population; asked for anew when what it carries changes. */
function useLosses(): Record<string, string[]> {
  const population = useStore(chosenPopulation);
  const made = useStore((s) => s.geometry[s.chosen]?.header.made);
  const [losses, setLosses] = useState(NO_LOSSES);
  const painted = population?.painted;
  const id = population?.id;
  useEffect(() => {
    const { scene, frame } = useStore.getState();
    if (!scene || !id || !made) return;
    let over = false;
    json<{ losses: Record<string, string[]> }>("POST", "/exports/losses", { scene: folded(scene), population: id, frame })
      .then((answer) => over || setLosses(answer.losses))
      // What is wrong with the population is told where it is made.
      .catch(() => over || setLosses(NO_LOSSES));
    return () => {
      over = true;
    };
  }, [id, made, painted]);
  return losses;
}

export function PublishLeft() {
  return (
    <div className="p-2.5">
      <Populations />
    </div>
  );
}

/** Formats that hold all frames in one file. */
const SAMPLED = new Set(["usd", "usdc"]);

/** What is worth saying about a format. */
const TEXTS: Record<string, string> = {
  ply: "Every attribute as it came, with red, green, blue for viewers and each channel's values as floats.",
  ply_ascii: "The same, readable in an editor. Larger.",
  obj: "Polygons or polylines, objects, groups, material names and uv as they came; the colours after each vertex. Other attributes have no place in it.",
  glb: "Colours, channels and every attribute; clones as instances of their shapes, strands as lines; a material for each finish and shape.",
  usd: "Readable USD: display colours, channels as primvars and preview surfaces that read them; clones as an instancer, strands as curves.",
  usdc: "The same as binary: smaller, and quicker to read.",
  materialx: "The materials alone: OpenPBR surfaces that read by name what differs from element to element.",
  csv_parts: "A row for each part: its number, name, size, place, and the mean of what its elements got.",
  csv: "A row for each element, for spreadsheets and scripts.",
};

/** Give the chosen population the look of a file; the server checks it in a scene of its own before. */
async function load(chosen: File) {
  const { scene, chosen: id } = useStore.getState();
  let look: unknown;
  try {
    look = JSON.parse(await chosen.text());
  } catch {
    throw new Error(`${chosen.name} is not JSON. Choose a look file.`);
  }
  const probe = withPopulation(scene!, id, (p) => ({ ...p, look: look as Look, wears: null }));
  const body = { scene: probe, population: id, format: "look" };
  const checked = JSON.parse(await (await fetchFile("POST", "/exports", body)).blob.text()) as Look;
  editLook(`Load ${chosen.name}`, (desk) => ({ ...checked, scene: desk.scene }) as LookInScene);
}

export function PublishRight() {
  const population = useStore(chosenPopulation);
  const every = useStore((s) => s.formats);
  const header = useStore((s) => s.geometry[s.chosen]?.header);
  const formats = every.filter((f) => f.kinds.includes(header?.kind ?? "clones") && (f.name !== "csv_parts" || header?.levels.some((l) => l.name === "part")));
  const tables = useStore((s) => s.results[s.chosen]?.material.tables ?? NO_TABLES);
  const losses = useLosses();
  const moves = useStore(reachesTime);
  const timeline = useStore((s) => s.scene?.timeline);
  const [busy, setBusy] = useState("");
  const [now, setNow] = useState<Job | null>(null);
  const stopper = useRef(new AbortController());
  const [sentence, setSentence] = useState("");
  const [size, setSize] = useState({ width: 1920, height: 1080 });
  if (!population) return <NothingYet todo="publish" />;

  async function run(what: string, work: () => Promise<void>) {
    stopper.current = new AbortController();
    setBusy(what);
    setNow(null);
    setSentence("");
    try {
      await work();
    } catch (error) {
      if (!stopper.current.signal.aborted && (error as Error).name !== "AbortError") setSentence((error as Error).message);
    } finally {
      setBusy("");
    }
  }

  const files = [
    ...formats.map(({ name, title }) => ({ format: name, title, text: TEXTS[name] ?? "" })),
    { format: "look", title: "Look file", text: "The recipe alone (JSON): use it on other points, or from the command line." },
  ];

  return (
    <div className="flex flex-col gap-3 p-3">
      <h2 className="heading">Files of {population.name}</h2>
      {files.map(({ format, title, text }) => (
        <section key={format} className="panel flex items-center gap-3 p-3">
          <div className="min-w-0 grow">
            <h3 className="text-[13px] font-semibold">{title}</h3>
            <p className="text-soft">{text}</p>
            {losses[format]?.map((sentence) => (
              <p key={sentence} className="mt-0.5 flex items-baseline gap-1.5 text-[11.5px]">
                <TriangleAlert size={11} className="flex-none translate-y-px" aria-hidden />
                {sentence}
              </p>
            ))}
          </div>
          {busy === title && (
            <span role="status" className="text-soft tabular">
              {now ? `${now.words || "begins"}, ${Math.floor(now.share * 100)} %` : "begins"}
            </span>
          )}
          {busy !== title && moves && timeline && SAMPLED.has(format) && (
            <Button
              aria-label={`Download ${title}, frames ${timeline.first} to ${timeline.last}`}
              title={`Frames ${timeline.first} to ${timeline.last} in one file, as time samples`}
              disabled={busy !== ""}
              onClick={() => void run(title, () => download(format, setNow, stopper.current.signal, [timeline.first, timeline.last]))}
            >
              <Film size={13} aria-hidden />
              All frames
            </Button>
          )}
          {busy === title ? (
            <Button aria-label={`Cancel ${title}`} onClick={() => stopper.current.abort()}>
              <X size={13} aria-hidden />
              Cancel
            </Button>
          ) : (
            <Button
              aria-label={`Download ${title}`}
              disabled={busy !== ""}
              onClick={() => void run(title, () => download(format, setNow, stopper.current.signal))}
            >
              <Download size={13} aria-hidden />
              Download
            </Button>
          )}
        </section>
      ))}
      {Object.keys(tables).length > 0 && (
        <p className="-mt-1 text-[11.5px] text-soft">
          {Object.keys(tables).map((c) => c.replaceAll("_", " ")).join(", ")}: the view maps {Object.keys(tables).length > 1 ? "these" : "this"} per pixel; files carry the values at the vertices.
        </p>
      )}
      <Outputs />
      <h2 className="heading mt-2">Picture of the view</h2>
      <section className="panel flex flex-wrap items-center gap-3 p-3">
        <NumberField
          label="Width"
          unit="px"
          whole
          min={16}
          max={LARGEST_SIDE}
          width="w-[84px]"
          value={size.width}
          onCommit={(width) => setSize({ ...size, width })}
        />
        <NumberField
          label="Height"
          unit="px"
          whole
          min={16}
          max={LARGEST_SIDE}
          width="w-[84px]"
          value={size.height}
          onCommit={(height) => setSize({ ...size, height })}
        />
        <span className="grow" />
        <Button
          strong
          disabled={busy !== ""}
          onClick={() =>
            void run("picture", async () => {
              if (!view.stage) throw new Error("There is no view to take a picture of.");
              save(await view.stage.picture(size.width, size.height), `${population.id}-${size.width}x${size.height}.png`);
            })
          }
        >
          <Image size={13} aria-hidden />
          {busy === "picture" ? "Drawing…" : "Save picture"}
        </Button>
      </section>
      <h2 className="heading mt-2">Use a look file here</h2>
      <section className="panel flex items-center gap-3 p-3">
        <p className="grow text-soft">Replaces the look of {population.name}. Undo brings it back.</p>
        <FileButton
          label="Load look…"
          name="Look file"
          accept=".json"
          onFile={(chosen) => void run("look", () => load(chosen))}
        />
      </section>
      {sentence && (
        <p role="alert" className="rounded-lg border-2 border-ink bg-panel p-3">
          {sentence}
        </p>
      )}
    </div>
  );
}
