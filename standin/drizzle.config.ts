import { defineConfig } from 'drizzle-kit';

export default defineConfig({
  dialect: 'postgresql',
  schema: './standin/db/schema.ts',
  out: './standin/migrations',
  schemaFilter: ['standin'],
});
