/** The built interface, and nothing else: the files that were there when the server began. */
import { readdirSync, readFileSync, statSync } from 'node:fs';
import { extname, join } from 'node:path';
import { gzipSync } from 'node:zlib';
import type { MiddlewareHandler } from 'hono';

const TYPES: Readonly<Record<string, string>> = {
  '.html': 'text/html; charset=utf-8',
  '.js': 'text/javascript; charset=utf-8',
  '.css': 'text/css; charset=utf-8',
  '.svg': 'image/svg+xml',
  '.png': 'image/png',
  '.ico': 'image/x-icon',
  '.woff': 'font/woff',
  '.woff2': 'font/woff2',
  '.json': 'application/json',
  '.txt': 'text/plain; charset=utf-8',
};
/** What packing makes smaller. */
const PACKED = /^(text|image\/svg|application\/json)/;

interface File {
  readonly type: string;
  readonly bytes: Uint8Array<ArrayBuffer>;
  readonly packed: Uint8Array<ArrayBuffer> | undefined;
}

/**
 * Serves a folder's files of the kinds an interface has, from memory; every other address without an
 * ending belongs to the interface's own router.
 * @param folder where the interface was built to
 */
export function builtInterface(folder: string): MiddlewareHandler {
  const files = new Map<string, File>();
  const walk = (at: string, path: string): void => {
    for (const entry of readdirSync(at, { withFileTypes: true })) {
      const inner = join(at, entry.name);
      if (entry.name.startsWith('.')) continue;
      if (entry.isDirectory()) walk(inner, `${path}/${entry.name}`);
      else if (entry.isFile() && statSync(inner).size < 32 * 1024 * 1024) {
        const type = TYPES[extname(entry.name)];
        if (type) files.set(`${path}/${entry.name}`, fileAt(inner, type));
      }
    }
  };
  walk(folder, '');
  return async (c, next) => {
    if (c.req.method !== 'GET' && c.req.method !== 'HEAD') return next();
    let path: string;
    try {
      path = decodeURIComponent(c.req.path);
    } catch {
      return c.notFound();
    }
    const known = files.get(path);
    const file =
      known ?? (extname(path) === '' || !path.startsWith('/assets/') ? files.get('/index.html') : undefined);
    if (!file) return c.notFound();
    const packed =
      file.packed && /\bgzip\b/.test(c.req.header('accept-encoding') ?? '') ? file.packed : undefined;
    return c.body(packed ?? file.bytes, 200, {
      'content-type': file.type,
      'cache-control':
        known && path.startsWith('/assets/') ? 'public, max-age=31536000, immutable' : 'no-cache',
      vary: 'accept-encoding',
      ...(packed ? { 'content-encoding': 'gzip' } : {}),
    });
  };
}

function fileAt(path: string, type: string): File {
  const bytes = new Uint8Array(readFileSync(path));
  return { type, bytes, packed: PACKED.test(type) ? new Uint8Array(gzipSync(bytes)) : undefined };
}
