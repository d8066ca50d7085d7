import { whenFree } from './packages.mjs';

const lock = {
  status: 100,
  printed: 'E: Could not get lock /var/lib/apt/lists/lock. It is held by process 71 (apt-get)',
};
const done = { status: 0, printed: 'Setting up postgresql' };

async function tried(...results: { status: number; printed: string }[]) {
  const said: string[] = [];
  let waited = 0;
  let i = 0;
  const result = await whenFree(async () => results[Math.min(i++, results.length - 1)], {
    tell: (line: string) => said.push(line),
    pause: async (seconds: number) => void (waited += seconds),
  });
  return { result, said, waited, tries: i };
}

test('waits, with a word, while another program uses the package manager', async () => {
  const { result, said, tries, waited } = await tried(lock, lock, lock, done);
  expect([result, tries, waited]).toEqual([done, 4, 15]);
  expect(said).toEqual([
    'another program is installing packages on this machine; waiting until it is done …',
  ]);
});

test.each([
  'E: Unable to acquire the dpkg frontend lock (/var/lib/dpkg/lock-frontend), is another process using it?',
  'dpkg: error: dpkg frontend lock was locked by another process: the dpkg frontend is locked',
])('waits when told: %s', async (printed) => {
  expect((await tried({ status: 100, printed }, done)).tries).toBe(2);
});

test('does not try again what fails for another reason', async () => {
  const other = { status: 100, printed: 'E: Unable to locate package postgresql' };
  expect(await tried(other)).toMatchObject({ result: other, said: [], tries: 1 });
});

test('gives up after a quarter of an hour', async () => {
  const { result, waited } = await tried(lock);
  expect(result).toEqual(lock);
  expect(waited).toBe(179 * 5);
});
