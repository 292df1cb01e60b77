/** Work that the server does by itself: begun here, followed, stopped; found again after a reload. */
import { create } from "zustand";
import { fetchFile, type Job, type JobList, json, Refused, type UploadAnswer, upload } from "../api/client";

/** Something on its way to the server, which only this window knows. */
export interface Sending {
  id: string;
  title: string;
  words: string;
  share: number;
  stop: () => void;
}

interface JobsState {
  jobs: Job[];
  sending: Sending[];
  /** Of the newest change that is known here; null before the first answer. */
  version: number | null;
  /** Jobs that something in this window waits for: it takes their results itself. */
  awaited: readonly string[];
}

export const useJobs = create<JobsState>(() => ({ jobs: [], sending: [], version: null, awaited: [] }));

const over = (job: Job) => job.state === "done" || job.state === "failed" || job.state === "stopped";
/** Seconds that a question may be held, and milliseconds until the next one where the server cannot be reached. */
const HELD = 15;
export const RETRY = 1500;
let following = false;

/** What is under way, asked once; it is followed where there is something. */
export async function findJobs() {
  await listed("GET", "/jobs");
  void follow();
}

/** The numbers of the newest question, and of the newest one whose answer was taken. */
let asked = 0;
let taken = 0;

/** Ask for the list, and take it unless a later question was answered before: a held one may come back late. */
async function listed(method: "GET" | "POST", path: string): Promise<JobList> {
  const mine = ++asked;
  const answer = await json<JobList>(method, path);
  if (mine > taken) {
    taken = mine;
    useJobs.setState({ jobs: answer.jobs, version: answer.version });
  }
  return answer;
}

/** Ask again and again while something is under way; each answer waits until something changes. */
async function follow() {
  if (following) return;
  following = true;
  while (useJobs.getState().jobs.some((job) => !over(job))) {
    try {
      // oxlint-disable-next-line no-await-in-loop -- each question follows the answer before it
      const answer = await listed("GET", `/jobs?since=${useJobs.getState().version}&wait=${HELD}`);
      // oxlint-disable-next-line no-await-in-loop
      if (answer.again) await pause(1000 * answer.again);
    } catch (error) {
      // A server that starts anew knows none of them.
      if (error instanceof Refused && error.status < 500) break;
      // oxlint-disable-next-line no-await-in-loop
      await pause(RETRY);
    }
  }
  following = false;
}

export const pause = (milliseconds: number) => new Promise((resolve) => setTimeout(resolve, milliseconds));

/** Stop a job; of one that is over throw the result away. */
export async function stopJob(id: string) {
  try {
    await listed("POST", `/jobs/${id}/stop`);
  } catch {
    useJobs.setState(({ jobs }) => ({ jobs: jobs.filter((job) => job.id !== id) }));
  }
}

/**
 * Begin a job and wait until it is done; `told` hears how it goes.
 *
 * Rejects with what was refused, and with an AbortError where it was stopped: by the signal, or by anybody else.
 */
export async function done(path: string, body: unknown, told: (job: Job) => void = () => undefined, signal?: AbortSignal): Promise<Job> {
  const mine = ++asked;
  const begun = await json<Job>("POST", `/jobs/${path}`, body);
  // A list that was asked for before does not know it.
  taken = Math.max(taken, mine);
  useJobs.setState(({ jobs, awaited }) => ({ jobs: [...jobs.filter(({ id }) => id !== begun.id), begun], awaited: [...awaited, begun.id] }));
  const stop = () => void stopJob(begun.id);
  if (signal?.aborted) stop();
  signal?.addEventListener("abort", stop);
  void follow();
  try {
    const job = await ended(begun.id, told);
    if (!job || job.state === "stopped" || signal?.aborted) throw new DOMException("Stopped", "AbortError");
    if (job.error) {
      void stopJob(job.id);
      throw new Refused(422, job.error.code, job.error.sentence, job.error.place);
    }
    return job;
  } finally {
    signal?.removeEventListener("abort", stop);
    useJobs.setState(({ awaited }) => ({ awaited: awaited.filter((id) => id !== begun.id) }));
  }
}

/** Resolves once a job is over; with nothing where it is gone. */
function ended(id: string, told: (job: Job) => void): Promise<Job | undefined> {
  return new Promise((resolve) => {
    const look = () => {
      const job = useJobs.getState().jobs.find((j) => j.id === id);
      if (job && !over(job)) return told(job);
      leave();
      resolve(job);
    };
    const leave = useJobs.subscribe(look);
    look();
  });
}

/** What a job made, as a document; it is thrown away there. */
export async function documentOf<T>(job: Job): Promise<T> {
  const found = await json<T>("GET", `/jobs/${job.id}/result`);
  void stopJob(job.id);
  return found;
}

/** What a job made, as a file; it is thrown away there once it has come whole. */
export async function fileOf(job: Job, progress?: (share: number) => void, signal?: AbortSignal) {
  const found = await fetchFile("GET", `/jobs/${job.id}/result`, undefined, progress, signal);
  void stopJob(job.id);
  return found;
}

/** Send a file once; meanwhile it is shown as something that is on its way. */
export async function send(file: File, words = "sending", signal?: AbortSignal): Promise<string> {
  const own = new AbortController();
  const stop = () => own.abort();
  if (signal?.aborted) stop();
  signal?.addEventListener("abort", stop);
  const entry: Sending = { id: `sending-${Math.random()}`, title: file.name, words, share: 0, stop };
  useJobs.setState(({ sending }) => ({ sending: [...sending, entry] }));
  const tell = (share: number) => useJobs.setState(({ sending }) => ({ sending: sending.map((s) => (s.id === entry.id ? { ...s, share } : s)) }));
  try {
    return (await upload<UploadAnswer>("/uploads", file, tell, own.signal)).upload;
  } finally {
    signal?.removeEventListener("abort", stop);
    useJobs.setState(({ sending }) => ({ sending: sending.filter((s) => s.id !== entry.id) }));
  }
}

/** Throw a file away that was sent. */
export const forget = (sent: string) => void json("POST", `/uploads/${sent}/discard`).catch(() => undefined);
