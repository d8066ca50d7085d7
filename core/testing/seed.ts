import fc from 'fast-check';

/** Random tests try the same cases at every run; `SEED=7 npm test -- core` tries others. */
fc.configureGlobal({ seed: Number(process.env['SEED'] ?? 2026) });
