<script setup lang="ts">
import { useIntervalFn } from '@vueuse/core';
import { ElButton, ElInput, ElOption, ElSelect } from 'element-plus';
import { computed, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { api, type Rollout, type RolloutEntry, type RolloutState, type Target } from '../../api.ts';
import { useBench } from '../../stores/bench.ts';
import ProbePanel from './ProbePanel.vue';

const STATES: Record<RolloutState, string> = {
  planned: 'planned, not applied',
  applying: 'applying …',
  applied: 'applied',
  failed: 'failed',
  stopped: 'stopped',
  interrupted: 'interrupted',
};

const bench = useBench();
const route = useRoute();
const router = useRouter();
const slug = computed(() => String(route.params.slug));
const targets = ref<Target[]>();
const list = ref<RolloutEntry[]>([]);
const target = ref<number>();
const revision = ref<number>();
const current = ref<Rollout>();
const trouble = ref('');
const busy = ref(false);
/** Why an approver applies it although something keeps it from there. */
const override = ref('');
const approver = computed(() => bench.topology?.role === 'approver');

/** Runs something that talks to the server; what goes wrong is shown, and nothing else is started meanwhile. */
async function attempt(work: () => Promise<void>) {
  busy.value = true;
  trouble.value = '';
  try {
    await work();
  } catch (error) {
    trouble.value = (error as Error).message;
  } finally {
    busy.value = false;
  }
}

async function refresh(id: number) {
  current.value = await api.rollout(slug.value, id);
  list.value = await api.rollouts(slug.value);
  if (current.value.state === 'applied') await bench.standAgain();
}

watch(
  slug,
  () =>
    attempt(async () => {
      targets.value = await api.targets(slug.value);
      list.value = await api.rollouts(slug.value);
      target.value ??= targets.value[0]?.id;
      revision.value ??= bench.revisions[0]?.number;
      const asked = Number(route.query.rollout) || list.value[0]?.id;
      if (asked) await refresh(asked);
    }),
  { immediate: true },
);

const watching = useIntervalFn(
  () =>
    void (
      current.value && refresh(current.value.id).catch((error: Error) => (trouble.value = error.message))
    ),
  400,
  { immediate: false },
);
watch(
  () => current.value?.state,
  (state) => (state === 'applying' ? watching.resume() : watching.pause()),
  { immediate: true },
);

const choose = (id: number) =>
  attempt(async () => {
    await refresh(id);
    await router.replace({ query: { ...route.query, rollout: String(id) } });
  });
const plan = () =>
  attempt(async () => {
    const { id } = await api.planRollout(slug.value, target.value!, revision.value!);
    await refresh(id);
    await router.replace({ query: { ...route.query, rollout: String(id) } });
  });
const apply = () =>
  attempt(async () => {
    await api.applyRollout(slug.value, current.value!.id, override.value.trim());
    override.value = '';
    await refresh(current.value!.id);
  });
const stop = () => attempt(() => api.stopRollout(slug.value, current.value!.id));

const done = computed(() => current.value?.steps.filter((step) => step.state === 'done').length ?? 0);
const destroying = computed(
  () => current.value?.steps.filter(({ step }) => step.risk === 'loses messages') ?? [],
);
const name = (each: { environment: string; broker: string }) => `${each.environment} · ${each.broker}`;
</script>

<template>
  <div class="rollout">
    <section class="choose" aria-label="what and where">
      <h2>Carry out</h2>
      <p v-if="targets?.length === 0" class="soft">
        This topology has no targets yet. Set one through the API; see <i>docs/operating.md</i>.
      </p>
      <label>
        revision
        <el-select v-model="revision" aria-label="revision" no-data-text="Save a revision first">
          <el-option
            v-for="each in bench.revisions"
            :key="each.number"
            :value="each.number"
            :label="`r${each.number} ${each.words}`"
          />
        </el-select>
      </label>
      <label>
        on
        <el-select v-model="target" aria-label="target">
          <el-option v-for="each in targets" :key="each.id" :value="each.id" :label="name(each)" />
        </el-select>
      </label>
      <el-button
        type="primary"
        :loading="busy"
        :disabled="!bench.canWrite || !target || !revision"
        @click="plan"
        >Read the broker and list the steps</el-button
      >
      <p v-if="trouble" class="error" role="alert">{{ trouble }}</p>
      <h2 v-if="list.length">Earlier</h2>
      <ul class="earlier">
        <li v-for="each in list" :key="each.id">
          <button class="plain" :class="{ current: each.id === current?.id }" @click="choose(each.id)">
            <span>r{{ each.revision }} on {{ name(each) }}</span>
            <span class="soft"
              >{{ STATES[each.state] }} · {{ new Date(each.createdAt).toLocaleString() }} ·
              {{ each.by }}</span
            >
          </button>
        </li>
      </ul>
    </section>

    <section v-if="current" class="steps" aria-label="steps">
      <header>
        <h2>
          r{{ current.revision }} on {{ name(current) }}
          <span
            :class="{
              good: current.state === 'applied' && current.verified,
              error: ['failed', 'interrupted'].includes(current.state),
            }"
            data-testid="rollout-state"
            >{{ STATES[current.state] }}</span
          >
        </h2>
        <p v-if="current.state === 'applied'">
          <span v-if="current.verified" class="good">Read back: the broker is as the revision says.</span>
          <span v-else class="error">{{ current.error }}</span>
        </p>
        <p v-else-if="current.error" class="error">{{ current.error }}</p>
        <progress
          v-if="current.state === 'applying'"
          :value="done"
          :max="current.steps.length"
          :aria-label="`${done} of ${current.steps.length} steps`"
        />
        <p v-if="current.steps.length === 0" class="good">Nothing to do: the broker has all of it already.</p>
        <p v-if="current.state === 'planned' && destroying.length" class="error">
          This destroys the messages in
          {{ destroying.map(({ step }) => ('queue' in step ? step.queue.name : '')).join(', ') }}.
        </p>
        <div v-if="current.obstacles.length" class="obstacles" data-testid="obstacles">
          <p class="error">
            {{ name(current) }} is protected, and
            {{ current.obstacles.length === 1 ? 'this keeps' : 'these keep' }} r{{ current.revision }}
            from it:
          </p>
          <ul>
            <li v-for="each in current.obstacles" :key="each">{{ each }}</li>
          </ul>
          <p v-if="current.override" class="soft">Applied all the same: “{{ current.override }}”</p>
          <el-input
            v-else-if="current.state === 'planned' && approver"
            v-model="override"
            type="textarea"
            :rows="2"
            placeholder="why it is applied all the same"
            aria-label="why it is applied all the same"
          />
          <p v-else-if="current.state === 'planned'" class="soft">
            Mend them and save a new revision, or ask an approver to override this with words.
          </p>
        </div>
        <div class="acts">
          <el-button
            v-if="current.state === 'planned'"
            type="primary"
            :loading="busy"
            :disabled="
              !bench.canWrite || (current.obstacles.length > 0 && (!approver || override.trim().length < 10))
            "
            @click="apply"
            >{{
              current.steps.length
                ? `Apply ${current.steps.length} step${current.steps.length === 1 ? '' : 's'}`
                : 'Mark as applied'
            }}</el-button
          >
          <el-button v-if="current.state === 'applying'" @click="stop">Stop after this step</el-button>
        </div>
      </header>
      <ol>
        <li v-for="each in current.steps" :key="each.position" :class="each.state" data-testid="step">
          <span class="state" :aria-label="each.state">{{
            { pending: '·', running: '›', done: '✓', failed: '✕' }[each.state]
          }}</span>
          <span>{{ each.step.title }}</span>
          <span v-if="each.step.risk !== 'none'" class="warning">{{
            each.step.risk === 'some' ? 'changes what messages do now' : each.step.risk
          }}</span>
          <span v-if="each.error" class="error">{{ each.error }}</span>
        </li>
      </ol>
      <p class="soft">
        {{ current.inPlace }} {{ current.inPlace === 1 ? 'thing is' : 'things are' }} in place already.
      </p>
      <p v-for="each in current.leftToOthers" :key="each.of" class="soft">
        <code>{{ each.of }}</code> is not made here: {{ each.why }}.
      </p>
      <p v-if="current.kept.length" class="soft">
        Kept, though this revision does not know it: {{ current.kept.join(', ') }}.
      </p>
    </section>
    <section v-else class="steps">
      <p class="soft">
        Choose a revision and a target. Vondle reads what the broker has and lists the steps that would make
        it as the revision says; nothing is touched before you apply them.
      </p>
    </section>
    <ProbePanel
      v-if="current?.state === 'applied'"
      :rollout="current"
      :slug="slug"
      @probed="(probes) => (current = { ...current!, probes })"
    />
  </div>
</template>

<style scoped>
.rollout {
  display: grid;
  grid-template-columns: 250px minmax(0, 1fr) minmax(0, 1fr);
  min-height: 0;
}
section {
  padding: 12px 14px;
  overflow: auto;
  min-height: 0;
}
.choose {
  display: grid;
  gap: 10px;
  align-content: start;
  border-right: 1px solid var(--hairline);
}
.choose :deep(.el-button) {
  white-space: normal;
  height: auto;
  padding: 6px 10px;
}
label {
  display: grid;
  gap: 3px;
  color: var(--soft);
}
.earlier {
  display: grid;
  gap: 4px;
}
.earlier button {
  display: grid;
  width: 100%;
  padding: 4px 6px;
  font-size: 13px;
}
.earlier button:hover {
  background: var(--band);
}
.earlier .current {
  background: var(--accent-sheet);
}
.steps {
  background: var(--sheet);
  display: grid;
  gap: 10px;
  align-content: start;
}
.obstacles {
  display: grid;
  gap: 6px;
}
.obstacles ul {
  list-style: disc;
  padding-left: 20px;
}
.steps header {
  display: grid;
  gap: 6px;
}
.steps ol li {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 10px;
  padding: 3px 0;
  border-bottom: 1px solid var(--hairline);
  font: 12px/1.6 var(--mono);
}
.steps li.done {
  color: var(--soft);
}
.state {
  width: 12px;
}
li.done .state {
  color: var(--good);
}
li.failed .state {
  color: var(--error);
}
progress {
  width: 100%;
  accent-color: var(--accent);
}
</style>
