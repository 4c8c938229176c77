/** Sounds, shakes and notifies at a moment, once for each, as far as the browser allows. */
export class Alarm {
  private sound: AudioContext | null = null;
  private rung: number | null = null;

  constructor(private readonly ring: (alarm: Alarm, words: string) => void = (alarm, words) => alarm.out(words)) {}

  /** Asks for what it needs: a browser allows it after a touch only. */
  arm(): void {
    this.sound ??= "AudioContext" in window ? new AudioContext() : null;
    if ("Notification" in window && Notification.permission === "default") void Notification.requestPermission();
  }

  /** Rings when a moment has come; a moment within a minute of one that rang is the same. */
  check(at: number, now: number, words: string): void {
    if (now < at || (this.rung !== null && Math.abs(at - this.rung) < 60_000)) return;
    this.rung = at;
    this.ring(this, words);
  }

  out(words: string): void {
    for (const after of [0, 0.4, 0.8]) this.beep(after);
    navigator.vibrate?.([300, 150, 300]);
    if ("Notification" in window && Notification.permission === "granted") new Notification("Spare Hour", { body: words });
    document.getElementById("say")!.textContent = `Time to leave. ${words}`;
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
