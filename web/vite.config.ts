import { fileURLToPath } from 'node:url';
import vue from '@vitejs/plugin-vue';
import { defineConfig, type Plugin } from 'vite';

const path = (relative: string) => fileURLToPath(new URL(relative, import.meta.url));
const PATTERNS = path('./src/workers/patterns.ts');

/** What matches patterns is loaded when one is met: everybody but the loader gets the loader for it. */
const patternsWhenNeeded = (): Plugin => ({
  name: 'patterns when needed',
  enforce: 'pre',
  resolveId: (source, importer) => (source === 're2js' && importer !== PATTERNS ? PATTERNS : null),
});

export default defineConfig({
  plugins: [patternsWhenNeeded(), vue()],
  resolve: { alias: { '@vondle/core': path('../core') } },
  worker: { format: 'es', plugins: () => [patternsWhenNeeded()] },
  build: {
    target: 'es2022',
    assetsInlineLimit: 0,
    chunkSizeWarningLimit: 2500,
    rolldownOptions: { checks: { pluginTimings: false } },
  },
});
