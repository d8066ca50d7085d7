<script setup lang="ts">
import type { Message } from '@vondle/core/conditions';
import { ElButton, ElInput, ElInputNumber, ElOption, ElSelect } from 'element-plus';
import { computed, ref, watch } from 'vue';
import NextStep from './NextStep.vue';
import { useWorkspace } from '../stores/workspace.ts';
import { useFocus } from '../stores/focus.ts';
import type { FieldView } from '../workers/views.ts';
import Said from './Said.vue';

/** The message in hand: by the fields its type declares, or as JSON. */
const focus = useFocus();
const workspace = useWorkspace();
const way = ref<'fields' | 'json'>('fields');
const key = ref('');
const raw = ref('');
const body = ref('');
const trouble = ref('');

const pretty = (value: unknown) => (value === undefined ? '' : JSON.stringify(value, null, 2));
const fields = computed(() => focus.type?.fields ?? []);
/** What the message has that its type does not declare. */
const others = computed(() =>
  (['headers', 'properties'] as const).flatMap((of) =>
    Object.entries(focus.message?.[of] ?? {})
      .filter(([name]) => !fields.value.some((field) => field.of === of && field.name === name))
      .map(([name, value]) => ({ of, name, value })),
  ),
);

// the fields show the message followed, unless it is the one being typed in them
let typed: Message | undefined;
watch(
  () => focus.message,
  (message) => {
    if (!message || message === typed) return;
    key.value = message.key;
    body.value = pretty(message.body);
    raw.value = pretty(withoutType(message));
    trouble.value = '';
  },
  { immediate: true },
);

function withoutType({ key: own, headers, properties, body: data }: Message) {
  return { key: own, headers, properties, ...(data === undefined ? {} : { body: data }) };
}

function put(change: Partial<Message>) {
  const before = focus.message;
  if (!before) return;
  typed = { ...before, ...change };
  focus.edited = typed;
  trouble.value = '';
}

function putField({ of, name }: Pick<FieldView, 'of' | 'name'>, value: unknown) {
  const before = focus.message;
  if (!before) return;
  const rest = Object.fromEntries(Object.entries(before[of]).filter(([other]) => other !== name));
  const left = value === undefined || value === null || value === '';
  const next = left ? rest : { ...before[of], [name]: value };
  // the key follows its headers until it is written by hand
  const template = focus.type?.key ?? '';
  const follows =
    of === 'headers' && template.includes(`{${name}}`) && before.key === keyOf(template, before.headers);
  put({ [of]: next, ...(follows ? { key: keyOf(template, { ...before.headers, ...next }) } : {}) });
  key.value = focus.message?.key ?? '';
  raw.value = pretty(withoutType(focus.message!));
}

function keyOf(template: string, headers: Readonly<Record<string, unknown>>): string {
  return template.replace(/\{([^{}]*?)(\.\.\.)?\}/g, (_, name: string) => String(headers[name] ?? name));
}

function putBody() {
  try {
    const data: unknown = body.value.trim() === '' ? undefined : JSON.parse(body.value);
    const { body: _, ...rest } = focus.message!;
    typed = data === undefined ? rest : { ...rest, body: data };
    focus.edited = typed;
    raw.value = pretty(withoutType(typed));
    trouble.value = '';
  } catch (error) {
    trouble.value = `The body is not JSON yet: ${(error as Error).message}`;
  }
}

const isMap = (value: unknown): value is Record<string, unknown> =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

function putRaw() {
  try {
    const data: unknown = JSON.parse(raw.value);
    if (!isMap(data)) throw new Error('write a map with key, headers, properties and body');
    const unknown = Object.keys(data).find(
      (name) => !['key', 'headers', 'properties', 'body'].includes(name),
    );
    if (unknown)
      throw new Error(`there is no \`${unknown}\`; a message has key, headers, properties and body`);
    const { headers = {}, properties = {} } = data;
    if (!isMap(headers) || !isMap(properties)) throw new Error('headers and properties are maps');
    const own = typeof data['key'] === 'string' ? data['key'] : '';
    typed = {
      ...(focus.type ? { type: focus.type.id } : {}),
      key: own,
      headers,
      properties,
      ...(data['body'] === undefined ? {} : { body: data['body'] }),
    };
    focus.edited = typed;
    key.value = own;
    body.value = pretty(typed.body);
    trouble.value = '';
  } catch (error) {
    trouble.value = `This is no message yet: ${(error as Error).message}`;
  }
}

function reset() {
  typed = undefined;
  focus.edited = undefined;
}

const valueOf = ({ of, name }: Pick<FieldView, 'of' | 'name'>) => focus.message?.[of][name];
const range = ({ number }: FieldView) =>
  number?.least === undefined && number?.most === undefined
    ? ''
    : `${number.least ?? '…'} to ${number.most ?? '…'}`;
</script>

<template>
  <section class="compose" aria-label="message">
    <template v-if="focus.type && focus.message">
      <header>
        <h2>The message</h2>
        <span class="way" role="group" aria-label="written as">
          <button class="plain" :aria-pressed="way === 'fields'" @click="way = 'fields'">fields</button>
          <button class="plain" :aria-pressed="way === 'json'" @click="way = 'json'">JSON</button>
        </span>
        <el-button v-if="focus.edited" size="small" @click="reset">back to the sample</el-button>
      </header>
      <div v-if="way === 'fields'" class="fields">
        <label for="message key">key</label>
        <el-input
          id="message key"
          v-model="key"
          size="small"
          class="mono"
          name="key"
          @input="put({ key: $event })"
        />
        <span class="soft note">{{ focus.type.key }}</span>
        <template v-for="field in fields" :key="`${field.of} ${field.name}`">
          <label :for="`field ${field.name}`">{{ field.name }}</label>
          <code v-if="'fixed' in field" class="fixed">{{ field.fixed }}</code>
          <el-select
            v-else-if="field.values"
            :id="`field ${field.name}`"
            :model-value="valueOf(field) as string"
            size="small"
            clearable
            placeholder="left out"
            @update:model-value="putField(field, $event)"
          >
            <el-option
              v-for="value in field.values"
              :key="String(value)"
              :value="value as string"
              :label="String(value)"
            />
          </el-select>
          <el-input-number
            v-else-if="field.number"
            :id="`field ${field.name}`"
            :model-value="typeof valueOf(field) === 'number' ? (valueOf(field) as number) : undefined"
            size="small"
            :controls="false"
            placeholder="left out"
            @update:model-value="putField(field, $event)"
          />
          <el-input
            v-else
            :id="`field ${field.name}`"
            :model-value="String(valueOf(field) ?? '')"
            size="small"
            placeholder="left out"
            @update:model-value="putField(field, $event)"
          />
          <span class="soft note"
            >{{ field.of === 'headers' ? 'header' : 'property' }}{{ field.required ? ', always there' : ''
            }}{{ range(field) ? `, ${range(field)}` : '' }}</span
          >
        </template>
        <template v-for="other in others" :key="`other ${other.of} ${other.name}`">
          <span class="warning">{{ other.name }}</span>
          <code class="fixed">{{ other.value }}</code>
          <span class="note"
            >not of this type
            <button class="plain link" @click="putField(other, undefined)">take out</button></span
          >
        </template>
        <label for="message body">body</label>
        <el-input
          id="message body"
          v-model="body"
          class="wide mono"
          type="textarea"
          :autosize="{ minRows: 1, maxRows: 5 }"
          @input="putBody"
        />
      </div>
      <el-input
        v-else
        v-model="raw"
        type="textarea"
        class="mono"
        aria-label="message as JSON"
        :autosize="{ minRows: 6, maxRows: 14 }"
        @input="putRaw"
      />
      <p v-if="trouble" class="error" role="alert"><Said :text="trouble" /></p>
    </template>
    <NextStep v-else-if="workspace.looked && !workspace.analysis.has.publishes" />
    <p v-else class="soft">
      Choose a message type above; its sample appears here, to be changed as you like.
    </p>
  </section>
</template>

<style scoped>
.compose {
  display: grid;
  gap: 8px;
  align-content: start;
}
header {
  display: flex;
  align-items: baseline;
  gap: 12px;
}
header :deep(.el-button) {
  margin-left: auto;
}
.way {
  display: flex;
  gap: 10px;
}
.way button {
  color: var(--soft);
  border-bottom: 2px solid transparent;
}
.way button[aria-pressed='true'] {
  color: var(--accent);
  border-color: var(--accent);
}
.fields {
  display: grid;
  grid-template-columns: 96px minmax(150px, 184px) 1fr;
  gap: 4px 10px;
  align-items: center;
}
.fields > label,
.fields > span {
  overflow-wrap: anywhere;
}
.fields > .wide {
  grid-column: 2 / 4;
}
.fields :deep(.el-input-number) {
  width: 100%;
}
.fields :deep(input),
.compose :deep(textarea) {
  font-family: var(--mono);
  font-size: 12px;
}
.fields :deep(.el-input-number .el-input__inner) {
  text-align: left;
}
.note {
  font-size: 12.5px;
}
.fixed {
  font-size: 12px;
}
.link {
  color: var(--accent);
  text-decoration: underline;
}
</style>
