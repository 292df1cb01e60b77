/** What is under way: in the bar while there is something, with all of it behind a button. */
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { Check, Download, Plus, TriangleAlert, X } from "lucide-react";
import { useEffect } from "react";
import type { ImportAnswer, Job, SequenceMade } from "../api/client";
import { documentOf, fileOf, findJobs, stopJob, useJobs } from "../state/jobs";
import { tell } from "../state/store";
import { Button, IconButton } from "../widgets/Button";
import { addImported, addSequence } from "./gather/arriving";
import { save } from "./publish/save";

interface Row {
  id: string;
  title: string;
  words: string;
  share: number;
  left: number | null;
  job: Job | null;
  stop: () => void;
}

/** About how long, in words people use. */
function leftSaid(seconds: number): string {
  if (seconds < 1.5) return "a moment left";
  if (seconds < 90) return `about ${Math.round(seconds)} s left`;
  return `about ${Math.round(seconds / 60)} min left`;
}

/** What a job that is over can do; what a window waits for it takes itself. */
async function taken(job: Job) {
  try {
    if (job.kind === "export") {
      const { blob, name } = await fileOf(job);
      save(blob, name);
    } else if (job.kind === "sequence") addSequence(await documentOf<SequenceMade>(job));
    else addImported(await documentOf<ImportAnswer>(job));
  } catch (error) {
    tell((error as Error).message);
  }
}

function Over({ job }: { job: Job }) {
  if (job.error) return <p role="alert">{job.error.sentence}</p>;
  if (job.kind === "motion") return <p className="text-soft">All frames are there.</p>;
  const file = job.kind === "export";
  const Icon = file ? Download : Plus;
  return (
    <Button onClick={() => void taken(job)}>
      <Icon size={13} aria-hidden />
      {file ? "Save the file" : "Add to the scene"}
    </Button>
  );
}

function Line({ row }: { row: Row }) {
  const { job } = row;
  const running = job === null || job.state === "running" || job.state === "waiting";
  const said = [job?.state === "waiting" ? "waits for another job" : row.words, row.left === null ? "" : leftSaid(row.left)].filter(Boolean).join(", ");
  return (
    <li className="flex flex-col gap-1.5 rounded-md border border-line p-2">
      <div className="flex items-center gap-2">
        {job?.state === "done" && <Check size={13} className="flex-none" aria-hidden />}
        {job?.state === "failed" && <TriangleAlert size={13} className="flex-none" aria-hidden />}
        <span className="min-w-0 grow truncate font-medium">{row.title}</span>
        {running && <span className="text-soft tabular">{Math.floor(100 * row.share)} %</span>}
        <IconButton label={running ? `Stop ${row.title}` : `Throw ${row.title} away`} onClick={row.stop}>
          <X size={13} />
        </IconButton>
      </div>
      {running && (
        <>
          <progress className="block h-1.5 w-full" aria-label={row.title} value={row.share} />
          <p className="text-[11.5px] text-soft tabular">{said || "begins"}</p>
        </>
      )}
      {job && !running && <Over job={job} />}
    </li>
  );
}

/** Looking at a file shows in its own window; what a window takes itself is gone once it is done. */
const shownIn = (job: Job, awaited: readonly string[]) => job.kind !== "preview" && !(job.state === "done" && awaited.includes(job.id));

export function JobsTray() {
  const { jobs, sending, awaited } = useJobs();
  useEffect(() => void findJobs().catch(() => undefined), []);
  const rows: Row[] = [
    ...sending.map((s) => ({ id: s.id, title: s.title, words: s.words, share: s.share, left: null, job: null, stop: s.stop })),
    ...jobs.filter((job) => shownIn(job, awaited)).map((job) => ({ id: job.id, title: job.title, words: job.words, share: job.share, left: job.left, job, stop: () => void stopJob(job.id) })),
  ];
  if (rows.length === 0) return null;
  const running = rows.filter(({ job }) => job === null || job.state === "running" || job.state === "waiting");
  const share = running.length ? running.reduce((sum, row) => sum + row.share, 0) / running.length : 1;
  const label = running.length ? `${running.length} under way, ${Math.floor(100 * share)} %` : `${rows.length} ready`;
  return (
    <Popover className="relative">
      <PopoverButton className="button tabular" aria-label={`Jobs: ${label}`}>
        <svg viewBox="0 0 16 16" className="size-3.5 flex-none -rotate-90" fill="none" aria-hidden>
          <circle cx="8" cy="8" r="6" stroke="var(--line)" strokeWidth="3" />
          <circle cx="8" cy="8" r="6" stroke="var(--ink)" strokeWidth="3" pathLength={1} strokeDasharray={`${share} 1`} />
        </svg>
        <span className="min-w-[4.5ch] text-left">{running.length ? `${Math.floor(100 * share)} %` : "ready"}</span>
      </PopoverButton>
      <PopoverPanel anchor={{ to: "bottom end", gap: 6, padding: 8 }} className="panel z-40 w-[340px] p-2.5 shadow-2xl outline-none">
        <h2 className="heading mb-1.5">Jobs</h2>
        <ul className="flex flex-col gap-1.5" aria-label="Jobs">
          {rows.map((row) => (
            <Line key={row.id} row={row} />
          ))}
        </ul>
      </PopoverPanel>
    </Popover>
  );
}
