<script setup lang="ts">
import type { OpenApi, Operation } from '@vondle/api';
import { ElInput } from 'element-plus';
import { computed, onMounted, ref } from 'vue';
import { api } from '../../api.ts';
import Mark from '../../parts/Mark.vue';
import Said from '../../parts/Said.vue';
import { useSession } from '../../stores/session.ts';
import { shapeOf, type JsonSchema } from './shape.ts';

interface Line {
  readonly method: string;
  readonly path: string;
  readonly operation: Operation;
}

const session = useSession();
const described = ref<OpenApi>();
const trouble = ref('');
const wanted = ref('');

onMounted(async () => {
  try {
    described.value = (await api.described()) as unknown as OpenApi;
  } catch (error) {
    trouble.value = (error as Error).message;
  }
});

const lines = computed<Line[]>(() =>
  Object.entries(described.value?.paths ?? {}).flatMap(([path, operations]) =>
    Object.entries(operations).map(([method, operation]) => ({
      method: method.toUpperCase(),
      path: `/api${path}`,
      operation,
    })),
  ),
);
const chapters = computed(() => {
  const words = wanted.value.toLowerCase().split(/\s+/).filter(Boolean);
  const fits = ({ method, path, operation }: Line) => {
    const all = `${method} ${path} ${operation.summary} ${operation.description}`.toLowerCase();
    return words.every((word) => all.includes(word));
  };
  return (described.value?.tags ?? [])
    .map(({ name }) => ({
      name,
      lines: lines.value.filter((line) => line.operation.tags[0] === name && fits(line)),
    }))
    .filter((chapter) => chapter.lines.length > 0);
});
const shapes = computed(() =>
  Object.entries(described.value?.components.schemas ?? {}).map(([name, schema]) => ({
    name,
    shape: shapeOf(schema as JsonSchema),
  })),
);

/** @returns a schema as one reads it; one that is told by its name alone with what it is, too */
function toldOf(schema: JsonSchema): string {
  const told = shapeOf(schema);
  const [name] = /[A-Z]\w+$/.exec(told) ?? [];
  const shape = name && !told.includes('\n') && described.value?.components.schemas[name];
  return shape ? `${told}: ${shapeOf(shape as JsonSchema)}` : told;
}

function answerOf({ responses }: Operation): { status: string; type: string; shape: string } {
  const [status, { content }] = Object.entries(responses)[0]!;
  const [type, of] = Object.entries(content ?? {})[0] ?? [];
  return { status, type: type ?? '', shape: of ? toldOf(of.schema as JsonSchema) : 'nothing' };
}
const KINDS: Readonly<Record<string, string>> = {
  'application/x-ndjson': 'lines of JSON, each',
  'text/event-stream': 'server-sent events, the data of each',
  'text/plain': 'text',
};
const bodyOf = ({ requestBody }: Operation) =>
  requestBody && shapeOf(requestBody.content['application/json']!.schema as JsonSchema);
const queryOf = ({ parameters = [] }: Operation) =>
  parameters.flatMap(({ name, in: place, required, schema }) =>
    place === 'query' ? [{ name, required, shape: shapeOf(schema as JsonSchema) }] : [],
  );

const origin = globalThis.location.origin;
</script>

<template>
  <main class="page">
    <p>
      <router-link to="/topologies" class="brand"><Mark /> vondle</router-link>
    </p>
    <h1>What programs can ask</h1>
    <p>
      Everything the interface does goes over these routes. A program sends a token with each request, made
      under <router-link v-if="session.person" to="/account">your name</router-link
      ><template v-else>your name</template>: it is for one topology and does no more than its scope. The same
      as OpenAPI 3.1, for machines: <a href="/api/openapi.json">openapi.json</a>.
    </p>
    <pre class="example">
curl -H "authorization: Bearer $VONDLE_TOKEN" {{ origin }}/api/topologies/&lt;name&gt;/revisions</pre>
    <p v-if="trouble" class="error" role="alert">{{ trouble }}</p>
    <el-input
      v-model="wanted"
      class="wanted"
      clearable
      placeholder="find a route"
      aria-label="find a route"
      data-testid="find-route"
    />
    <section v-for="chapter in chapters" :key="chapter.name" :aria-label="chapter.name">
      <h2>{{ chapter.name }}</h2>
      <details v-for="line in chapter.lines" :key="line.operation.operationId" data-testid="api-route">
        <summary>
          <span class="mono method">{{ line.method }}</span>
          <span class="mono path">{{ line.path }}</span>
          <span class="soft what">{{ line.operation.summary }}</span>
        </summary>
        <div class="inner">
          <p><Said :text="line.operation.description" /></p>
          <template v-if="queryOf(line.operation).length">
            <h3>after the question mark</h3>
            <ul>
              <li v-for="each in queryOf(line.operation)" :key="each.name" class="mono">
                {{ each.name }}{{ each.required ? '' : '?' }}: {{ each.shape }}
              </li>
            </ul>
          </template>
          <template v-if="bodyOf(line.operation)">
            <h3>takes</h3>
            <pre>{{ bodyOf(line.operation) }}</pre>
          </template>
          <h3>
            answers {{ answerOf(line.operation).status
            }}<template v-if="KINDS[answerOf(line.operation).type]"
              >, {{ KINDS[answerOf(line.operation).type] }}</template
            >
          </h3>
          <pre>{{ answerOf(line.operation).shape }}</pre>
        </div>
      </details>
    </section>
    <p v-if="described && chapters.length === 0" class="soft">No route has these words.</p>
    <section v-if="!wanted.trim() && shapes.length" aria-label="Shapes">
      <h2>Shapes</h2>
      <details v-for="each in shapes" :key="each.name">
        <summary>
          <span class="mono path">{{ each.name }}</span>
        </summary>
        <div class="inner">
          <pre>{{ each.shape }}</pre>
        </div>
      </details>
    </section>
  </main>
</template>

<style scoped>
.page {
  height: 100%;
}
.page > p {
  margin: 8px 0;
}
.wanted {
  width: 320px;
}
.page section {
  gap: 0;
  justify-items: stretch;
}
section h2 {
  margin-bottom: 4px;
}
h3 {
  margin-top: 8px;
  font-size: 13px;
  font-weight: 600;
  color: var(--soft);
}
details {
  border-bottom: 1px solid var(--hairline);
}
summary {
  display: grid;
  grid-template-columns: 14px 62px minmax(0, 1fr) minmax(0, 1fr);
  align-items: baseline;
  padding: 5px 0;
  cursor: pointer;
}
summary::before {
  content: '+';
  color: var(--soft);
}
details[open] > summary::before {
  content: '−';
}
.path {
  overflow-wrap: anywhere;
}
.inner {
  padding: 2px 0 12px 14px;
}
pre {
  margin: 4px 0 0;
  font: 12px/1.5 var(--mono);
  white-space: pre-wrap;
}
.example {
  padding: 8px 12px;
  margin-bottom: 12px;
  background: var(--band);
}
</style>
