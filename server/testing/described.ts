/** Holds every answer that a test gets against what the server itself says of its routes (OpenAPI). */
import { openapi, type Operation } from '@vondle/api';
import Ajv2020, { type ValidateFunction } from 'ajv/dist/2020.js';

const document = openapi('0');
const ajv = new Ajv2020({ allErrors: true, strict: false, validateFormats: true });
ajv.addFormat('date-time', /^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(\.\d+)?(Z|[+-]\d\d:\d\d)$/);
ajv.addSchema(document, 'api');

interface Known {
  readonly method: string;
  readonly path: RegExp;
  readonly pointer: string;
  readonly operation: Operation;
}
const known: Known[] = Object.entries(document.paths).flatMap(([path, operations]) =>
  Object.entries(operations).map(([method, operation]) => ({
    method: method.toUpperCase(),
    path: new RegExp(`^${path.replace(/\./g, '\\.').replace(/\{\w+\}/g, '[^/]+')}$`),
    pointer: `/paths/${path.replace(/~/g, '~0').replace(/\//g, '~1')}/${method}`,
    operation,
  })),
);
const fixed = (path: string) => (path.match(/\[\^\/\]/g) ?? []).length;
// what is written out in an address comes before what stands for anything
known.sort((a, b) => fixed(a.path.source) - fixed(b.path.source));

/** The operations that answered here, by their ids: those that were held against their description. */
export const answered = new Set<string>();

const checks = new Map<string, ValidateFunction>();
function checkAt(pointer: string): ValidateFunction {
  let check = checks.get(pointer);
  if (!check) {
    const path = pointer.split('/').map(encodeURIComponent).join('/');
    checks.set(pointer, (check = ajv.compile({ $ref: `api#${path}` })));
  }
  return check;
}

/**
 * @param path from /api on, with or without what stands after a question mark
 * @param data what was answered; of lines, a list of them
 * @throws Error where an answer is not as its route is described
 */
export function mustBeDescribed(method: string, path: string, response: Response, data: unknown): void {
  const [place] = path.split('?') as [string];
  const found = known.find((each) => each.method === method && each.path.test(place));
  if (!found) return;
  const { operation, pointer } = found;
  const expected = operation.responses[response.status];
  const status = expected ? String(response.status) : 'default';
  if (!expected && response.status < 400)
    throw new Error(`${method} ${place} answered ${response.status}, which is not described`);
  const type = response.headers.get('content-type')?.split(';')[0];
  const content = operation.responses[status]!.content;
  // how ready it is is said with either status
  if (place === '/ready' && response.status === 503) return;
  if (!content) {
    if (data !== undefined)
      throw new Error(`${method} ${place} answered something, and nothing is described`);
    answered.add(operation.operationId);
    return;
  }
  const [described] = Object.keys(content);
  if (type !== described) throw new Error(`${method} ${place} answered ${type}, described is ${described}`);
  const check = checkAt(`${pointer}/responses/${status}/content/${described!.replace(/\//g, '~1')}/schema`);
  for (const each of described === 'application/x-ndjson' ? (data as unknown[]) : [data])
    if (!check(each))
      throw new Error(
        `${method} ${place} does not answer as it is described: ${ajv.errorsText(check.errors)} in ${JSON.stringify(each).slice(0, 600)}`,
      );
  if (status !== 'default') answered.add(operation.operationId);
}
