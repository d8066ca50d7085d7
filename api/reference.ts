/** The page of all routes, docs/api.md. */
import type { ObjectSchema } from 'yup';
import type { Door, Route } from './route.ts';
import { CHAPTERS, statusOf } from './routes.ts';

const INTRO = `# The API

<!-- written by \`npm run api\` from api/: change it there -->

JSON over HTTP under \`/api\`. What each route takes and answers, to the last member, is in the description that the server
itself gives: \`GET /api/openapi.json\` (OpenAPI 3.1), and to read at \`/reference/api\`. It is made of the schemas that
requests are checked by, and every answer in the server's tests is held against it.

A program sends its token as \`Authorization: Bearer vondle_…\` to the routes under \`/topologies/:slug\`; a browser has a
session in an HttpOnly cookie. Who may ask what is in [docs/agreeing.md](agreeing.md). Errors are
\`application/problem+json\` (RFC 9457) with \`title\` and \`detail\`; input that does not fit lists its mistakes under
\`errors\`, by place and rule, never repeating a value. Answers are not to be stored (\`no-store\`). Where there is no room
for a moment (429, 503), \`Retry-After\` says when there may be. What each input may be at most is in
[docs/operating.md](operating.md). Routes that are about a draft take \`?draft=\`, its number; without it they are about the
main one.
`;

const DOORS: Readonly<Record<Door, string>> = {
  open: 'everybody',
  'signed in': 'signed in',
  read: 'members',
  write: 'authors',
  approve: 'approvers',
  operate: 'operators',
  manage: 'owners',
};

const membersOf = (schema: Route['body']): string[] => {
  const fields = (schema as ObjectSchema<object> | undefined)?.fields ?? {};
  return Object.entries(fields).map(([name, field]) =>
    (field as unknown as { spec: { optional: boolean } }).spec.optional ? `${name}?` : name,
  );
};

/** @returns the page as Markdown */
export function apiReference(): string {
  const chapters = Object.entries(CHAPTERS).map(([chapter, routes]) => {
    const lines = Object.entries<Route>(routes).map(([name, route]) => {
      const { what, more, door, query, body } = route;
      const asked = query
        ? `?${membersOf(query)
            .map((each) => each.replace('?', ''))
            .join('=&')}=`
        : '';
      const taken = body ? ` \`{${membersOf(body).join(', ')}}\`` : '';
      const words = `${what}.${more ? ` ${more}` : ''}`.replace(/\|/g, '\\|');
      return `| \`${name}${asked}\`${taken} | ${DOORS[door]} | ${statusOf(route)} | ${words} |`;
    });
    return `\n## ${chapter}\n\n| route | for | answers | |\n|---|---|---|---|\n${lines.join('\n')}\n`;
  });
  return INTRO + chapters.join('');
}
