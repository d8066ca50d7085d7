<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core';
import { ElButton, ElCheckbox, ElDialog, ElInput, ElOption, ElSelect } from 'element-plus';
import { computed, nextTick, ref, shallowRef, watch } from 'vue';
import type { Given } from '@vondle/core/assist/forms';
import Diff from '../parts/Diff.vue';
import Said from '../parts/Said.vue';
import { useFocus } from '../stores/focus.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { core } from '../workers/client.ts';
import type { AttemptView, FieldOfForm, FormView } from '../workers/views.ts';
import Field from './Field.vue';
import { useForms } from './store.ts';

/** Declares something by a form: what it becomes in the text, and what that would do, is shown beside it before it is written. */
const forms = useForms();
const workspace = useWorkspace();
const focus = useFocus();

type Value = string | string[] | Record<string, string>[];
const form = shallowRef<FormView>();
const on = ref('');
const name = ref('');
const given = ref<Record<string, Value>>({});
const permits = ref(true);
const all = ref(false);
const tried = shallowRef<AttemptView>();
const touched = ref(false);
const trouble = ref('');
const written = ref('');

const open = computed({
  get: () => forms.opening !== undefined,
  set: (now: boolean) => {
    if (!now) forms.close();
  },
});
const shown = computed(() => {
  const fields = form.value?.fields ?? [];
  const filled = ({ name: key }: FieldOfForm) => (given.value[key]?.length ?? 0) > 0;
  return all.value
    ? fields
    : fields.filter((field, i) => i < form.value!.first || field.required || filled(field));
});
const hidden = computed(() => (form.value?.fields.length ?? 0) - shown.value.length);

const empty = ({ kind }: FieldOfForm): Value => (kind === 'text' || kind === 'data' ? '' : []);

/** The form for what it is declared on now; what was filled in already stays where there is still a field for it. */
async function load(keep: Readonly<Record<string, Given>>) {
  const { kind } = forms.opening!;
  const found = await core.form(kind, on.value);
  if (found.on && !found.on.names.includes(on.value)) on.value = found.on.names[0] ?? '';
  given.value = Object.fromEntries(
    found.fields.map((field) => [field.name, (keep[field.name] as Value | undefined) ?? empty(field)]),
  );
  form.value = found;
}

watch(
  () => forms.opening,
  async (opening) => {
    tried.value = undefined;
    if (!opening) return;
    form.value = undefined;
    const home = /^[a-z]+:([^/]+)\//.exec(focus.selected)?.[1];
    on.value = opening.on ?? home ?? '';
    name.value = opening.name ?? '';
    all.value = false;
    touched.value = false;
    trouble.value = '';
    written.value = '';
    await load(opening.given ?? {});
  },
  { immediate: true },
);

function order() {
  // plain data: what a page shows cannot be sent to a worker
  const values = JSON.parse(JSON.stringify(given.value)) as Record<string, Value>;
  const filled = Object.entries(values).filter(([, value]) => value.length > 0);
  return { kind: form.value!.kind, on: on.value, name: name.value.trim(), given: Object.fromEntries(filled) };
}

let turn = 0;
const attempt = useDebounceFn(async () => {
  const now = ++turn;
  const result = open.value && form.value ? await core.attempt(order(), permits.value) : undefined;
  if (now === turn) tried.value = result;
}, 60);
watch([form, name, given, permits, () => workspace.analysis], () => void attempt(), { deep: true });

function fill(key: string, value: Value) {
  given.value = { ...given.value, [key]: value };
  touched.value = true;
  written.value = '';
}
async function put(where: string) {
  on.value = where;
  await load(order().given);
}

async function write(another: boolean) {
  touched.value = true;
  const asked = order();
  const edited = await workspace.edit(async () => {
    const result = await core.attempt(asked, permits.value);
    return result.ok ? { ok: true, edits: result.edits } : result;
  });
  trouble.value = edited.ok ? '' : edited.message;
  if (!edited.ok) return;
  const { kind } = form.value!;
  if (['exchange', 'queue', 'topic', 'subscription', 'alias'].includes(kind))
    focus.selected = `${kind}:${asked.on}/${asked.name}`;
  else if (['app', 'message', 'link', 'spread', 'tenant'].includes(kind))
    focus.selected = `${kind}:${asked.name}`;
  else if (kind === 'publish' || kind === 'take') focus.selected = `app:${asked.on}`;
  if (!another) {
    open.value = false;
    return;
  }
  written.value = asked.name || form.value!.title;
  name.value = '';
  await load({});
  await nextTick();
  document.querySelector<HTMLElement>('.new-thing .begins input')?.focus();
}
</script>

<template>
  <el-dialog
    v-model="open"
    :title="form ? `New ${form.title}` : 'New'"
    width="940"
    top="6vh"
    append-to-body
    class="new-thing"
    destroy-on-close
  >
    <form v-if="form" class="new" data-testid="form" @submit.prevent="write(false)">
      <div class="fields">
        <p v-if="form.on && form.on.names.length === 0" class="warning">
          There is no {{ form.on.of }} yet that could have one.
          <button
            class="plain link"
            type="button"
            @click="forms.open({ kind: form.on.of === 'app' ? 'app' : 'broker' })"
          >
            Declare {{ form.on.of === 'app' ? 'an app' : 'a broker' }} first
          </button>
        </p>
        <template v-else>
          <label v-if="form.named" class="line begins">
            <span>name</span>
            <el-input
              v-model="name"
              class="mono"
              autofocus
              aria-label="name"
              @update:model-value="touched = true"
            />
          </label>
          <label v-if="form.on && form.on.names.length > 1" class="line">
            <span>on</span>
            <el-select
              :model-value="on"
              :aria-label="`${form.on.of} it is on`"
              filterable
              @update:model-value="put"
            >
              <el-option v-for="each in form.on.names" :key="each" :value="each" :label="each" />
            </el-select>
          </label>
          <div
            v-for="(field, i) in shown"
            :key="field.name"
            class="line"
            :class="{ begins: !form.named && i === 0 }"
          >
            <span>
              <code>{{ field.name }}</code>
              <small class="soft">{{ field.about }}</small>
            </span>
            <Field
              :field="field"
              :called="field.name"
              :model-value="given[field.name] ?? empty(field)"
              @update:model-value="fill(field.name, $event)"
            />
          </div>
          <button
            v-if="hidden || all"
            class="plain link more"
            type="button"
            :aria-expanded="all"
            @click="all = !all"
          >
            {{ all ? 'only what is asked for first' : `${hidden} more that may be stated` }}
          </button>
        </template>
      </div>
      <div class="becomes" data-testid="becomes" aria-live="polite">
        <h2>It becomes</h2>
        <template v-if="tried?.ok">
          <Diff :changes="tried.changes" />
          <template v-if="tried.trials.length">
            <h2>
              {{ tried.trials.filter(({ passes }) => passes).length }} of {{ tried.trials.length }} samples
              that come there pass
            </h2>
            <ul class="trials">
              <li v-for="trial in tried.trials" :key="`${trial.type} ${trial.sample}`" :title="trial.why">
                <b :class="{ good: trial.passes }">{{ trial.passes ? 'passes' : 'not' }}</b>
                {{ trial.type }}: {{ trial.sample }}
              </li>
            </ul>
          </template>
          <p v-for="each in tried.cures" :key="each" class="good">Cures: <Said :text="each" /></p>
          <p
            v-for="each in tried.brings"
            :key="each.message"
            :class="each.severity === 'advice' ? 'soft' : each.severity"
          >
            Then to be looked at: <Said :text="each.message" />
          </p>
        </template>
        <p v-else-if="tried && touched" class="error"><Said :text="tried.message" /></p>
        <p v-else class="soft">Fill it in, and the text it becomes is shown here before it is written.</p>
      </div>
      <footer>
        <el-checkbox v-if="form.permits" v-model="permits">with the permissions that it needs</el-checkbox>
        <span v-if="written" class="good" role="status">{{ written }} is written; undo takes it back.</span>
        <span v-if="trouble" class="error" role="alert"><Said :text="trouble" /></span>
        <span class="fill" />
        <el-button :disabled="!tried?.ok" @click="write(true)">write it, and another</el-button>
        <el-button type="primary" native-type="submit" :disabled="!tried?.ok">write it</el-button>
      </footer>
    </form>
  </el-dialog>
</template>

<style scoped>
.new {
  display: grid;
  grid-template-columns: minmax(0, 6fr) minmax(0, 5fr);
  gap: 10px 22px;
}
.fields {
  display: grid;
  gap: 9px;
  align-content: start;
  max-height: 62vh;
  overflow: auto;
  padding: 2px;
}
.line {
  display: grid;
  grid-template-columns: 150px minmax(0, 1fr);
  gap: 2px 12px;
  align-items: start;
}
.line > span {
  display: grid;
  padding-top: 4px;
  overflow-wrap: anywhere;
}
small {
  font-size: 12px;
  line-height: 1.3;
}
.link {
  color: var(--accent);
  text-decoration: underline;
  font-size: 13px;
}
.more {
  justify-self: start;
}
.becomes {
  max-height: 62vh;
  overflow: auto;
  display: grid;
  gap: 6px;
  align-content: start;
}
.trials li {
  display: flex;
  gap: 8px;
  font-size: 13px;
}
.trials b {
  width: 46px;
  font-weight: 600;
}
footer {
  grid-column: 1 / 3;
  display: flex;
  align-items: center;
  gap: 12px;
  padding-top: 10px;
  border-top: 1px solid var(--hairline);
}
.fill {
  flex: 1;
}
</style>
