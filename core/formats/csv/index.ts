/** What only an export needs, loaded by whoever exports. */
export { batchCsv, batchNdjson } from './batch.ts';
export { matrixCsv } from './matrix.ts';
