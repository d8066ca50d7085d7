/** What is being done, on a terminal's error output, while it takes long; nowhere else. */
const AFTER_MS = 400;
const EVERY_MS = 200;

/** A line that tells how far something is. */
export class Progress {
  private began = performance.now();
  private last = 0;
  private shown = false;

  constructor(private readonly out: NodeJS.WriteStream = process.stderr) {}

  /** Says what is being done now; told at most some times a second, and not at all where it is over soon. */
  say(words: string, now = false): void {
    if (!this.out.isTTY) return;
    const at = performance.now();
    if (at - this.began < AFTER_MS && !now) return;
    if (at - this.last < EVERY_MS && !now) return;
    this.last = at;
    this.shown = true;
    this.out.write(`\r\u001b[K${words} …`);
  }

  /** Takes the line away. */
  end(): void {
    if (this.shown) this.out.write('\r\u001b[K');
    this.shown = false;
  }
}
