<script setup lang="ts">
import { ElButton } from 'element-plus';
import { computed, ref } from 'vue';
import { useRouter } from 'vue-router';
import Choice from '../../parts/Choice.vue';
import { useWorkspace } from '../../stores/workspace.ts';
import { core } from '../../workers/client.ts';
import { showInText } from '../show.ts';
import { useFresh } from './fresh.ts';
import Said from '../../parts/Said.vue';

/** The permission that a route needs, hop by hop; or all that is missing anywhere. */
const props = defineProps<{ route: boolean }>();
const workspace = useWorkspace();
const router = useRouter();

const routes = computed(() =>
  workspace.messages.flatMap(({ id, publishes }) =>
    [...new Set(publishes.map(({ app }) => app))].map((app) => ({ app, type: id })),
  ),
);
const chosen = ref('');
const current = computed(
  () => routes.value.find(({ app, type }) => `${app} ${type}` === chosen.value) ?? routes.value[0],
);
const needs = useFresh(
  () =>
    props.route
      ? current.value
        ? core.routePermissions(current.value.app, current.value.type)
        : Promise.resolve([])
      : core.missingPermission(),
  current,
);
const missing = computed(() => needs.value?.filter(({ met }) => !met).length ?? 0);
const trouble = ref('');

async function allow() {
  const route = props.route && current.value ? { ...current.value } : undefined;
  const answer = await workspace.edit(() => core.allow(route));
  trouble.value = answer.ok ? '' : answer.message;
}
</script>

<template>
  <div class="permission">
    <p v-if="route" class="bar">
      <Choice
        class="soft"
        words="the route of"
        called="route"
        size="small"
        :model-value="(current ? `${current.app} ${current.type}` : '') as string"
        :options="routes.map(({ app, type }) => ({ value: `${app} ${type}`, label: `${type} from ${app}` }))"
        @update:model-value="chosen = $event ?? ''"
      />
      <span class="soft">every hop of it that needs permission, dead letters apart</span>
    </p>
    <p v-else class="soft">
      What some way needs and no statement gives. Messages on these ways are refused, or wait.
    </p>
    <p v-if="needs && needs.length === 0" :class="route ? 'soft' : 'good'">
      {{
        route
          ? 'This route needs no permission.'
          : 'Nothing is missing: every way has the permission it needs.'
      }}
    </p>
    <ol>
      <li v-for="need in needs" :key="need.title" data-testid="need">
        <span
          class="mark"
          :class="need.met ? 'good' : 'error'"
          :aria-label="need.met ? 'allowed' : 'refused'"
          >{{ need.met ? '✓' : '✕' }}</span
        >
        <span class="mono"><Said :text="need.title" /></span>
        <span class="soft">
          {{ need.because }}
          <button class="plain link" @click="showInText(router, need.spot)">
            {{ need.spot.doc }} {{ need.spot.line }}
          </button>
        </span>
        <span :class="need.met ? 'soft' : 'error'"><Said :text="need.why" /></span>
      </li>
    </ol>
    <p v-if="missing">
      <el-button type="primary" :disabled="!workspace.canWrite" @click="allow">{{
        missing === 1
          ? 'Write the narrowest statement for it'
          : `Write the narrowest statements for these ${missing}`
      }}</el-button>
    </p>
    <p v-if="trouble" class="error" role="alert"><Said :text="trouble" /></p>
  </div>
</template>

<style scoped>
.permission {
  padding: 12px 14px;
  overflow: auto;
  display: grid;
  gap: 10px;
  align-content: start;
}
.bar,
.bar label {
  display: flex;
  gap: 8px 14px;
  align-items: center;
}
.bar :deep(.el-select) {
  width: 320px;
}
li {
  display: grid;
  grid-template-columns: 20px minmax(0, 4fr) minmax(0, 4fr) minmax(0, 5fr);
  gap: 10px;
  padding: 4px 0;
  border-top: 1px solid var(--hairline);
  overflow-wrap: anywhere;
}
.mark {
  font-weight: 700;
}
.link {
  color: var(--accent);
  text-decoration: underline;
  font-size: 13px;
}
</style>
