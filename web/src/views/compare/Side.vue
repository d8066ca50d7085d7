<script setup lang="ts">
import { computed, ref } from 'vue';
import { useLive } from '../../stores/live.ts';
import { useWorkspace } from '../../stores/workspace.ts';

/** Which state of the topology stands on one side: `draft`, `draft:5`, `r3`, `env:live`, `files`. */
const side = defineModel<string>({ required: true });
const { label } = defineProps<{ label: string }>();
const emit = defineEmits<{ files: [files: File[]] }>();
const workspace = useWorkspace();
const live = useLive();
const folder = ref<HTMLInputElement>();
const drafts = computed(() => live.state?.drafts.filter(({ id }) => id !== workspace.draft?.id) ?? []);
const running = computed(() =>
  workspace.standings.flatMap(({ environment, revisions }) =>
    revisions.length === 1 ? [{ environment, revision: revisions[0]! }] : [],
  ),
);

function pick(event: Event) {
  const { value } = event.target as HTMLSelectElement;
  if (value !== 'files') side.value = value;
  else folder.value?.click();
}
function chosen(event: Event) {
  const input = event.target as HTMLInputElement;
  const files = [...(input.files ?? [])];
  input.value = '';
  if (files.length) emit('files', files);
}
</script>

<template>
  <label>
    {{ label }}
    <select :value="side" :aria-label="label" @change="pick">
      <option value="draft">
        {{ workspace.draft?.main === false ? `draft ${workspace.draft.name}` : 'the draft' }}
      </option>
      <option v-for="each in drafts" :key="each.id" :value="`draft:${each.id}`">draft {{ each.name }}</option>
      <optgroup v-if="running.length" label="what runs">
        <option v-for="each in running" :key="each.environment" :value="`env:${each.environment}`">
          {{ each.environment }}, which has r{{ each.revision }}
        </option>
      </optgroup>
      <optgroup v-if="workspace.revisions.length" label="revisions">
        <option v-for="each in workspace.revisions" :key="each.number" :value="`r${each.number}`">
          r{{ each.number }}: {{ each.words.slice(0, 60) }}
        </option>
      </optgroup>
      <option value="nothing">nothing</option>
      <option value="files">
        {{ side === 'files' ? 'the chosen folder' : 'a folder of this computer …' }}
      </option>
    </select>
    <input
      ref="folder"
      type="file"
      class="visually-hidden"
      tabindex="-1"
      webkitdirectory
      multiple
      @change="chosen"
    />
  </label>
</template>

<style scoped>
label {
  display: flex;
  align-items: center;
  gap: 6px;
  color: var(--soft);
}
select {
  max-width: 300px;
}
</style>
