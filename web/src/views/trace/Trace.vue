<script setup lang="ts">
import type { Message } from '@vondle/core';
import { ElButton, ElInput } from 'element-plus';
import { ref, watch } from 'vue';
import { useRouter } from 'vue-router';
import FollowBar from '../../parts/FollowBar.vue';
import Graph from '../../parts/Graph.vue';
import WhyNot from '../../parts/WhyNot.vue';
import { useFocus } from '../../stores/focus.ts';
import { showInText } from '../show.ts';
import Ladder from './Ladder.vue';

const focus = useFocus();
const router = useRouter();
const key = ref('');
const headers = ref('');
const properties = ref('');
const body = ref('');
const trouble = ref('');

const pretty = (value: unknown) => (value === undefined ? '' : JSON.stringify(value, null, 2));

// the fields show the message followed, unless it is the one being typed in them
let typed: Message | undefined;
watch(
  () => focus.message,
  (message) => {
    if (!message || message === typed) return;
    key.value = message.key;
    headers.value = pretty(message.headers);
    properties.value = pretty(message.properties);
    body.value = pretty(message.body);
    trouble.value = '';
  },
  { immediate: true },
);

function parse(name: string, text: string, mustBeMap: boolean): unknown {
  if (text.trim() === '') return mustBeMap ? {} : undefined;
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch (error) {
    throw new Error(`The ${name} are not valid JSON: ${(error as Error).message}`, { cause: error });
  }
  if (mustBeMap && (typeof value !== 'object' || value === null || Array.isArray(value))) {
    throw new Error(`The ${name} must be a map, as in { "route": "north" }.`);
  }
  return value;
}

function change() {
  if (!focus.type) return;
  try {
    const data = parse('body’s words', body.value, false);
    typed = {
      type: focus.type.id,
      key: key.value,
      headers: parse('headers', headers.value, true) as Record<string, unknown>,
      properties: parse('properties', properties.value, true) as Record<string, unknown>,
      ...(data === undefined ? {} : { body: data }),
    };
    focus.edited = typed;
    trouble.value = '';
  } catch (error) {
    trouble.value = (error as Error).message;
  }
}

function reset() {
  typed = undefined;
  focus.edited = undefined;
}
</script>

<template>
  <div class="trace">
    <FollowBar class="bar" />
    <section class="compose" aria-label="message">
      <template v-if="focus.type">
        <label class="wide">key <el-input v-model="key" class="mono" name="key" @input="change" /></label>
        <label
          >headers
          <el-input
            v-model="headers"
            type="textarea"
            :autosize="{ minRows: 2, maxRows: 8 }"
            class="mono"
            @input="change"
        /></label>
        <label
          >properties
          <el-input
            v-model="properties"
            type="textarea"
            :autosize="{ minRows: 2, maxRows: 8 }"
            class="mono"
            @input="change"
        /></label>
        <label class="wide"
          >body
          <el-input
            v-model="body"
            type="textarea"
            :autosize="{ minRows: 2, maxRows: 10 }"
            class="mono"
            @input="change"
        /></label>
        <p v-if="trouble" class="error" role="alert">{{ trouble }}</p>
        <el-button v-if="focus.edited" size="small" @click="reset">back to the sample</el-button>
      </template>
      <p v-else class="soft">
        Choose a message type above; its sample appears here, to be changed as you like.
      </p>
    </section>
    <section class="ladder" aria-label="hops">
      <template v-if="focus.followed">
        <p class="sentence" data-testid="sentence">
          <b>{{ focus.followed.sentence }}.</b>
        </p>
        <WhyNot @show="showInText(router, $event)" />
        <p v-if="!focus.selected" class="soft">Pick a store in the picture to see why it gets no copy.</p>
        <div v-for="(entry, i) in focus.followed.entries" :key="i">
          <h2>
            <code>{{ entry.from }}</code> sends it to <code>{{ entry.to }}</code><span
              v-if="entry.via"
              class="soft"
            >
              over {{ entry.via }}</span
            >
          </h2>
          <ol>
            <Ladder :hop="entry.hop" @show="showInText(router, $event)" @pick="focus.selected = $event" />
          </ol>
        </div>
        <table v-if="focus.followed.rests.length" class="ledger" data-testid="ledger">
          <caption class="visually-hidden">
            where copies rest
          </caption>
          <thead>
            <tr>
              <th>rests in</th>
              <th class="number">copies</th>
              <th>taken by</th>
              <th class="number">latency</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(rest, i) in focus.followed.rests" :key="i">
              <td class="mono">{{ rest.name }}</td>
              <td class="number">{{ rest.copies }}</td>
              <td class="mono">{{ rest.takers.join(', ') || rest.outcome }}</td>
              <td class="number">{{ rest.latency ? `${rest.latency} ms` : '' }}</td>
            </tr>
          </tbody>
        </table>
      </template>
    </section>
    <Graph class="drawing" />
  </div>
</template>

<style scoped>
.trace {
  display: grid;
  grid-template: 40px auto 1fr / 430px 1fr;
  min-height: 0;
}
.bar {
  grid-column: 1 / 3;
  padding: 0 12px;
  border-bottom: 1px solid var(--hairline);
}
.compose,
.ladder {
  overflow: auto;
  padding: 12px;
  min-height: 0;
}
.compose {
  border-right: 1px solid var(--hairline);
  border-bottom: 1px solid var(--hairline);
  max-height: 300px;
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px 10px;
  align-content: start;
}
.compose > .wide,
.compose > p {
  grid-column: 1 / 3;
}
.compose > :deep(.el-button) {
  justify-self: start;
}
.drawing {
  grid-column: 2;
  grid-row: 2 / 4;
}
.compose :deep(textarea),
.compose :deep(input) {
  font-family: var(--mono);
  font-size: 12px;
}
label {
  display: grid;
  gap: 3px;
  color: var(--soft);
}
.ladder {
  background: var(--sheet);
  border-right: 1px solid var(--hairline);
  display: grid;
  gap: 12px;
  align-content: start;
}
.ledger {
  border-collapse: collapse;
  width: 100%;
}
th,
td {
  text-align: left;
  padding: 4px 8px 4px 0;
  border-bottom: 1px solid var(--hairline);
  vertical-align: top;
  overflow-wrap: anywhere;
}
th {
  font-weight: 600;
}
.number {
  text-align: right;
  white-space: nowrap;
}
</style>
