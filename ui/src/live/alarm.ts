/** Sounds, shakes and notifies at a moment, once for each, as far as the browser allows. */
export class Alarm {
  private sound: AudioContext | null = null;
  private readonly rung = new Map<string, number>();

  constructor(private readonly ring: (alarm: Alarm, words: string) => void = (alarm, words) => alarm.out(words)) {}

  /** Asks for what it needs: a browser allows it after a touch only. */
  arm(): void {
    this.sound ??= "AudioContext" in window ? new AudioContext() : null;
    if ("Notification" in window && Notification.permission === "default") void Notification.requestPermission();
  }

  /** Rings when a moment of a kind has come; a moment within a minute of one of its kind that rang is the same. */
  check(kind: string, at: number, now: number, words: string): void {
    if (now < at || Math.abs(at - (this.rung.get(kind) ?? -Infinity)) < 60_000) return;
    this.rung.set(kind, at);
    this.ring(this, words);
  }

  /** Rings at the moments that a part of a page tells: when to leave, and when standing on begins to cost. */
  watch(part: Element, now: number): void {
    const told = (name: string) => part.querySelector<HTMLElement>(`[data-${name}]`);
    const [leave, idle] = [told("leave-at"), told("idle-at")];
    if (leave) this.check("leave", Number(leave.dataset["leaveAt"]), now, `Time to leave. ${leave.querySelector("[data-headline]")?.textContent ?? ""}`);
    if (idle) this.check("idle", Number(idle.dataset["idleAt"]), now, idle.dataset["idleWords"] ?? "");
  }

  out(words: string): void {
    for (const after of [0, 0.4, 0.8]) this.beep(after);
    navigator.vibrate?.([300, 150, 300]);
    if ("Notification" in window && Notification.permission === "granted") new Notification("Spare Hour", { body: words });
    document.getElementById("say")!.textContent = words;
  }

  private beep(after: number): void {
    if (!this.sound) return;
    const [tone, loud] = [this.sound.createOscillator(), this.sound.createGain()];
    tone.connect(loud).connect(this.sound.destination);
    loud.gain.value = 0.3;
    tone.frequency.value = 880;
    tone.start(this.sound.currentTime + after);
    tone.stop(this.sound.currentTime + after + 0.25);
  }
}
