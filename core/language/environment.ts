/** Values that differ between environments. */
import { accept } from './acceptance.ts';
import { note } from './common.ts';
import { type Infer, constant, field, flag, mapOf, object } from './shape.ts';

export const parameter = object({
  default: field(constant(), 'the value where an environment gives none', {
    otherwise: 'it must be given by every environment',
  }),
  accept,
  note,
});

export const environment = object({
  values: field(
    { ...mapOf(constant(), 'parameter'), names: 'a parameter' },
    'parameter values in this environment',
    { otherwise: 'the defaults' },
  ),
  protected: field(flag(), 'a second person must approve what is applied here', { otherwise: '`false`' }),
  note,
});

export type EnvironmentDecl = Infer<typeof environment>;
