/** Who may do what, as a table. */
import { type Cell, needInWords } from '../../analysis/access/matrix.ts';
import { csvLine } from './batch.ts';
import { addressOf } from '../../language/thing.ts';

/** @returns cells as CSV (RFC 4180), a head line first */
export function matrixCsv(cells: readonly Cell[]): string {
  const head = ['who', 'tenant', 'action', 'on', 'owner', 'state', 'why', 'needed because'];
  const rows = cells.map(({ who, tenant, action, on, owner, state, why, needs }) => [
    who.id,
    tenant ?? '',
    action,
    addressOf(on),
    owner ?? '',
    state,
    why,
    needs.map(needInWords).join('; '),
  ]);
  return [head, ...rows].map(csvLine).join('');
}
