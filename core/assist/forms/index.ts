/** What is written by forms and tables, loaded by whoever writes so. */
export { type FormField, type Given } from './fields.ts';
export { FORM_KINDS, type Form, type FormKind, type Order, declare, formOf } from './forms.ts';
export { type Attempt, attempt } from './attempt.ts';
export {
  type Column,
  type Row,
  TABLES,
  type Table,
  type TableKind,
  changeCells,
  tableOf,
  tableSizes,
  tableText,
} from './tables.ts';
