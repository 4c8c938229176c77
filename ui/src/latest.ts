/** A job that works on the latest of many questions: one at a time, so that they do not pile up; each is answered or
 * followed by a newer one, so that none starves; and one that takes too long is ended for the newer one. */
export class Latest {
  private running: AbortController | null = null;
  private waits = false;
  private began = 0;

  constructor(
    private readonly job: (signal: AbortSignal) => Promise<void>,
    /** After so many milliseconds a newer question ends the older one's work. */
    private readonly patience: number,
    private readonly now: () => number = () => performance.now(),
  ) {}

  /** Something has changed: work on it as soon as may be. */
  ask(): void {
    if (!this.running) {
      void this.work();
      return;
    }
    this.waits = true;
    if (this.now() - this.began > this.patience) this.running.abort();
  }

  private async work(): Promise<void> {
    do {
      this.waits = false;
      this.began = this.now();
      this.running = new AbortController();
      await this.job(this.running.signal);
    } while (this.waits);
    this.running = null;
  }
}
