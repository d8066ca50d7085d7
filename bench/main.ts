/** `npm run bench [reading keys tracing …]`: ratios against peers, all measured in one run. */
import { keys } from './keys.ts';
import { reading } from './reading.ts';
import { tracing } from './tracing.ts';

const parts: Record<string, () => void> = { reading, keys, tracing };
const chosen = process.argv.slice(2);
for (const [name, run] of Object.entries(parts)) if (!chosen.length || chosen.includes(name)) run();
