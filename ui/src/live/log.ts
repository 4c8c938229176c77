/**
 * The events of one charge or trip in this browser: those that the server has, and those that wait for it. All are in local
 * storage before anything else happens, so a reload or a dead phone loses none; those that wait are sent in order,
 * and once, since each has a name of its own.
 */
export class Log<Line extends { id: string }> {
  private readonly lines = new Map<string, Line>();
  private waiting: string[];
  private sending = false;
  /** Lines that the server has sent so far, to ask for later ones only. */
  private seen = 0;
  /** What the server said is wrong with a line; such a line is dropped. */
  refused = "";
  online = true;
  /** Whether the server says that it is over or gone. */
  closed = false;

  constructor(
    /** Where the server takes and gives them. */
    private readonly address: string,
    /** Under which name they are stored here. */
    private readonly name: string,
    embedded: string,
  ) {
    const stored = JSON.parse(localStorage.getItem(name) ?? "{}") as { lines?: Line[]; waiting?: string[] };
    for (const line of stored.lines ?? []) this.lines.set(line.id, line);
    this.waiting = stored.waiting ?? [];
    this.takeAll(embedded);
  }

  all(): Iterable<Line> {
    return this.lines.values();
  }

  isSaved(id: string): boolean {
    return !this.waiting.includes(id);
  }

  waits(): number {
    return this.waiting.length;
  }

  add(line: Line): void {
    this.lines.set(line.id, line);
    this.waiting.push(line.id);
    this.store();
  }

  /** Sends what waits, then asks for what a meter has fed. Says whether anything changed. */
  async exchange(): Promise<boolean> {
    if (this.sending) return false;
    this.sending = true;
    try {
      const sent = await this.send();
      const got = await this.ask();
      this.online = true;
      return sent || got;
    } catch {
      const changed = this.online;
      this.online = false;
      return changed;
    } finally {
      this.sending = false;
    }
  }

  /** Forgets everything here, once it is over. */
  forget(): void {
    localStorage.removeItem(this.name);
  }

  private store(): void {
    localStorage.setItem(this.name, JSON.stringify({ lines: [...this.lines.values()], waiting: this.waiting }));
  }

  private async send(): Promise<boolean> {
    if (!this.waiting.length) return false;
    const ids = this.waiting.slice(0, 500);
    const body = ids.map((id) => JSON.stringify(this.lines.get(id))).join("\n");
    const response = await fetch(this.address, { method: "post", body, headers: { "content-type": "application/x-ndjson" } });
    this.closed = response.status === 404;
    if (!response.ok) throw new Error(`status ${response.status}`);
    const answer = (await response.json()) as { saved: string[]; refused: { id?: string; problem: string }[] };
    for (const { id, problem } of answer.refused) {
      this.refused = problem;
      if (id) this.lines.delete(id);
    }
    const settled = new Set([...answer.saved, ...answer.refused.map((each) => each.id)]);
    this.waiting = this.waiting.filter((id) => !settled.has(id));
    this.store();
    return true;
  }

  private async ask(): Promise<boolean> {
    const response = await fetch(`${this.address}?from=${this.seen}`);
    if (!response.ok) throw new Error(`status ${response.status}`);
    return this.takeAll(await response.text());
  }

  private takeAll(text: string): boolean {
    const lines = text.split("\n").filter((line) => line);
    for (const line of lines) {
      const event = JSON.parse(line) as Line;
      this.lines.set(event.id, event);
    }
    this.seen += lines.length;
    if (lines.length) this.store();
    return lines.length > 0;
  }
}
