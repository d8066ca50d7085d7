/** `npm run bench [reading keys tracing picture checks classes edits large broker rollout standin server history]`: ratios against peers, all measured in one run. */
import { broker } from './broker.ts';
import { rollout } from './rollout.ts';
import { checks } from './checks.ts';
import { classes, classesAfterEdits } from './classes.ts';
import { keys } from './keys.ts';
import { large } from './large.ts';
import { picture } from './picture.ts';
import { reading } from './reading.ts';
import { history } from './history.ts';
import { server } from './server.ts';
import { standin } from './standin.ts';
import { tracing } from './tracing.ts';

const parts: Record<string, () => void | Promise<void>> = {
  reading,
  keys,
  tracing,
  picture,
  checks,
  classes,
  edits: classesAfterEdits,
  large,
  broker,
  rollout,
  standin,
  server,
  history,
};
const chosen = process.argv.slice(2);
for (const [name, run] of Object.entries(parts)) if (!chosen.length || chosen.includes(name)) await run();
