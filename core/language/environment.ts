/** Values that differ between environments. */
import { accept } from './acceptance.ts';
import { note } from './common.ts';
import { type Infer, constant, field, flag, mapOf, object } from './shape.ts';

export const parameter = object({
  default: field(constant(), 'the value where an environment gives none'),
  accept,
  note,
});

export const environment = object({
  values: field(
    { ...mapOf(constant(), 'parameter'), names: 'a parameter' },
    'parameter values in this environment',
  ),
  protected: field(flag(), 'a second person must approve what is applied here'),
  note,
});

export type EnvironmentDecl = Infer<typeof environment>;
