import { api, Problem, take, type Job, type Saved } from "./client";

const pause = 150;

/** Waits for the end of a job, tells how far it is, and gives what was saved. */
export async function finished(begun: Promise<Job>, tell: (j: Job) => void = () => undefined): Promise<Saved> {
  let job = await begun;
  for (;;) {
    tell(job);
    if (job.state === "done" && job.saved) return job.saved;
    if (job.state !== "running")
      throw new Problem(
        422,
        job.problem ?? "It failed.",
        (job.errors ?? []).map((e) => ({ location: e.path, message: e.problem })),
        undefined,
        job.checks,
      );
    await new Promise((r) => setTimeout(r, pause));
    job = await take(api.GET("/api/jobs/{id}", { params: { path: { id: job.id } } }));
  }
}

export const giveUp = (id: number) => take(api.DELETE("/api/jobs/{id}", { params: { path: { id } } }));
