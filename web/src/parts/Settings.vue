<script setup lang="ts">
import { ElInput, ElOption, ElSelect } from 'element-plus';
import { computed, ref, watch } from 'vue';
import { useWorkspace } from '../stores/workspace.ts';
import { core } from '../workers/client.ts';
import type { CloseUp, SettingView } from '../workers/views.ts';

/** A thing's settings as a form. What is changed here is written into the text, nothing else of it. */
const props = defineProps<{ of: CloseUp }>();
const workspace = useWorkspace();
const all = ref(false);
const trouble = ref('');
const shown = computed(() =>
  all.value ? props.of.settings : props.of.settings.filter(({ written }) => written !== undefined),
);
const hidden = computed(() => props.of.settings.length - shown.value.length);
/** What is being typed, until it is written. */
const typed = ref<Record<string, string>>({});
/** What was written, until the text shows it. */
const written = ref<Record<string, string>>({});
watch(
  () => props.of,
  (now, before) => {
    typed.value = {};
    written.value = {};
    if (now.thing !== before?.thing) {
      all.value = false;
      trouble.value = '';
    }
  },
);

/**
 * A field says that it changed at Enter, and may say so again when it is left. Only what was typed since
 * is written: the second word would come after an undo, and write over it.
 */
function writeTyped(setting: SettingView) {
  const value = typed.value[setting.name];
  delete typed.value[setting.name];
  if (value !== undefined) void write(setting, value);
}

/** What a value is made of, as it is in the environment that is looked at: `from boardTtl, which is 10m`. */
const valuesOf = (names: readonly string[]) =>
  `from ${names.map((name) => `${name}, which is ${workspace.analysis.environments.parameters[name] ?? 'not set'}`).join('; ')}`;

async function write(setting: SettingView, value: string) {
  if (value === (setting.written ?? '')) return;
  written.value[setting.name] = value;
  const { thing } = props.of;
  const edited = await workspace.edit(() => core.changeSetting(thing, setting.name, value));
  trouble.value = edited.ok ? '' : edited.message;
}
</script>

<template>
  <section v-if="of.settings.length" class="settings" aria-label="settings">
    <div v-for="setting in shown" :key="setting.name" class="setting" :title="setting.about">
      <label :for="`set ${setting.name}`">{{ setting.name }}</label>
      <el-select
        v-if="setting.values"
        :id="`set ${setting.name}`"
        :model-value="written[setting.name] ?? setting.written ?? ''"
        size="small"
        clearable
        placeholder="not stated"
        :disabled="!workspace.canWrite"
        @change="write(setting, $event ?? '')"
      >
        <el-option v-for="value in setting.values" :key="value" :value="value" :label="value" />
      </el-select>
      <el-input
        v-else
        :id="`set ${setting.name}`"
        :model-value="typed[setting.name] ?? written[setting.name] ?? setting.written ?? ''"
        size="small"
        placeholder="not stated"
        :disabled="!workspace.canWrite"
        @update:model-value="typed[setting.name] = $event"
        @change="writeTyped(setting)"
      />
      <span v-if="setting.from" class="soft from">{{ valuesOf(setting.from) }}</span>
    </div>
    <p v-if="trouble" class="error" role="alert">{{ trouble }}</p>
    <button v-if="hidden || all" class="plain more" :aria-expanded="all" @click="all = !all">
      {{ all ? 'only what is stated' : `${hidden} more not stated` }}
    </button>
  </section>
</template>

<style scoped>
.settings {
  display: grid;
  gap: 4px;
}
.setting {
  display: grid;
  grid-template-columns: 104px 1fr;
  gap: 2px 8px;
  align-items: center;
}
label {
  color: var(--soft);
  overflow-wrap: anywhere;
}
.setting :deep(input) {
  font-family: var(--mono);
  font-size: 12px;
}
.from {
  grid-column: 2;
  font-size: 12px;
}
.more {
  justify-self: start;
  color: var(--accent);
  text-decoration: underline;
  font-size: 13px;
}
</style>
