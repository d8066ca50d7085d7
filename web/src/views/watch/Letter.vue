<script setup lang="ts">
import { computed } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import type { MessageSeen } from '../../api.ts';
import { useFocus } from '../../stores/focus.ts';
import { useWorkspace } from '../../stores/workspace.ts';

/** One message that waits in a store, whole: what it came with, what is in it, which type it is, where it died. */
const props = defineProps<{ message: MessageSeen }>();
const workspace = useWorkspace();
const focus = useFocus();
const route = useRoute();
const router = useRouter();

const lines = (values: Record<string, unknown>): [string, string][] =>
  Object.entries(values).flatMap(([name, value]): [string, string][] =>
    name === 'x-death' ? [] : [[name, typeof value === 'string' ? value : JSON.stringify(value)]],
  );
const is = computed(() => props.message.types.filter(({ remarks }) => remarks.length === 0));
const body = computed(() => {
  const { as, value } = props.message.body;
  return as === 'json' ? JSON.stringify(value, null, 2) : String(value ?? '');
});
const BODIES = { json: 'JSON', text: 'text', bytes: 'bytes, in base64', nothing: 'nothing in it' } as const;

/** The type it can be traced as: one of those that it is, and that somebody publishes. */
const traceable = computed(() =>
  props.message.types.find(({ type }) =>
    workspace.messages.some(({ id, publishes }) => id === type && publishes.length),
  ),
);
async function trace() {
  const { key, headers, properties, body: inIt } = props.message;
  const type = traceable.value!.type;
  const { 'x-death': _deaths, ...own } = headers;
  await router.push({ name: 'trace', params: route.params, query: { env: route.query.env, type } });
  focus.typeId = type;
  focus.edited = {
    type,
    key,
    headers: own,
    properties,
    ...(inIt.as === 'json' && inIt.hidden === '' && !inIt.cut ? { body: inIt.value } : {}),
  };
}
</script>

<template>
  <article data-testid="letter">
    <p v-if="is.length">
      It is a <b class="mono">{{ is[0]!.type }}</b><span v-if="is.length > 1" class="soft"
        >, and fits
        {{
          is
            .slice(1)
            .map(({ type }) => type)
            .join(', ')
        }}
        too</span
      >
      <span v-if="is[0]!.labels.length" class="soft"> · carries {{ is[0]!.labels.join(', ') }} data</span>
      <button v-if="traceable" class="plain link" @click="trace">trace it</button>
    </p>
    <div v-else>
      <p class="warning">It is of no declared type.</p>
      <ul>
        <li v-for="each in message.types" :key="each.type">
          to be a <b class="mono">{{ each.type }}</b>: {{ each.remarks.join('; ') }}
        </li>
      </ul>
      <button v-if="traceable" class="plain link" @click="trace">trace it as {{ traceable.type }}</button>
    </div>
    <p v-for="(death, i) in message.deaths" :key="i" class="error">
      {{ i ? 'before that' : 'it was given up' }} in <span class="mono">{{ death.at }}</span>: {{ death.why
      }}{{ death.count > 1 ? `, ${death.count} times` : '' }}{{ death.when ? `, at ${death.when}` : '' }}
    </p>
    <dl>
      <template v-if="message.exchange || message.key">
        <dt>came by</dt>
        <dd>
          {{ message.exchange || 'the queue’s own name' }}{{ message.key ? `, key ${message.key}` : '' }}
        </dd>
      </template>
      <template v-if="message.arrivedAt">
        <dt>came</dt>
        <dd>{{ message.arrivedAt }}</dd>
      </template>
      <template v-if="message.tries">
        <dt>handed out</dt>
        <dd>{{ message.tries }} {{ message.tries === 1 ? 'time' : 'times' }} before</dd>
      </template>
      <template v-if="lines(message.headers).length">
        <dt class="part">headers</dt>
        <dd />
      </template>
      <template v-for="[name, value] in lines(message.headers)" :key="`h ${name}`">
        <dt>{{ name }}</dt>
        <dd>{{ value }}</dd>
      </template>
      <template v-if="lines(message.properties).length">
        <dt class="part">properties</dt>
        <dd />
      </template>
      <template v-for="[name, value] in lines(message.properties)" :key="`p ${name}`">
        <dt>{{ name }}</dt>
        <dd>{{ value }}</dd>
      </template>
      <dt class="part">body</dt>
      <dd class="soft">
        {{ BODIES[message.body.as]
        }}{{ message.size === null ? '' : `, ${message.size.toLocaleString('en')} bytes` }}
      </dd>
    </dl>
    <p v-if="message.body.hidden" class="soft">{{ message.body.hidden }}</p>
    <pre v-else-if="message.body.as !== 'nothing'">{{ body }}</pre>
    <p v-if="message.body.cut" class="soft">Only its beginning is shown.</p>
  </article>
</template>

<style scoped>
article {
  padding: 6px 0 10px 14px;
  border-left: 2px solid var(--accent);
}
p,
ul {
  margin: 0 0 4px;
}
ul {
  padding-left: 18px;
}
dl {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 0 12px;
  margin: 4px 0;
  font: 12px/1.6 var(--mono);
}
dt {
  color: var(--soft);
}
.part {
  margin-top: 4px;
  color: var(--ink);
  font-weight: 600;
}
dd {
  margin: 0;
  overflow-wrap: anywhere;
}
pre {
  margin: 4px 0 0;
  padding: 8px;
  max-height: 260px;
  overflow: auto;
  background: var(--sheet);
  border: 1px solid var(--hairline);
  font: 12px/1.5 var(--mono);
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
.mono {
  font-family: var(--mono);
}
.link {
  margin-left: 8px;
  color: var(--accent);
  text-decoration: underline;
}
</style>
