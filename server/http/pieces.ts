import type { Context } from 'hono';

const PIECE = 256 * 1024;
/** Who does not read on for this long is not waited for. */
const STALLED_MS = 30_000;

/**
 * Sends JSON that is there in parts, piece by piece as it is read, so that a slow reader costs no copy
 * of it and a reader that stopped costs nothing for long.
 * @param release called once when it is sent, or is not going to be
 */
export function sentInPieces(c: Context, parts: readonly string[], release: () => void): Response {
  let part = 0;
  let at = 0;
  let timer: ReturnType<typeof setTimeout> | undefined;
  const end = () => {
    clearTimeout(timer);
    release();
  };
  const stream = new ReadableStream<Uint8Array>(
    {
      pull(controller) {
        clearTimeout(timer);
        let piece = '';
        while (part < parts.length && piece.length < PIECE) {
          const text = parts[part]!;
          let to = Math.min(text.length, at + PIECE - piece.length);
          // a character of two units is not cut in half
          if (to < text.length && (text.charCodeAt(to) & 0xfc00) === 0xdc00) to++;
          piece += text.slice(at, to);
          at = to;
          if (at >= text.length) {
            part++;
            at = 0;
          }
        }
        if (piece) controller.enqueue(Buffer.from(piece, 'utf8'));
        if (part >= parts.length) {
          controller.close();
          end();
          return;
        }
        timer = setTimeout(() => {
          controller.error(new Error('the reader stopped reading'));
          end();
        }, STALLED_MS);
      },
      cancel: end,
    },
    { highWaterMark: 1 },
  );
  return c.body(stream, 200, { 'content-type': 'application/json' });
}

/**
 * An object whose last member, `documents`, is JSON text already, in parts to be sent.
 * @param before its JSON up to there, without a comma at its end
 * @param after what closes it
 */
export function jsonList(before: string, documents: readonly string[], after: string): string[] {
  return [`${before},"documents":[`, ...documents.map((text, i) => (i ? `,${text}` : text)), `]${after}`];
}
