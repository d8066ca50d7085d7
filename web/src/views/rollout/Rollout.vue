<script setup lang="ts">
import { ElButton, ElInput } from 'element-plus';
import { computed, onUnmounted, ref, shallowRef, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import {
  api,
  ApiProblem,
  type Rollout,
  type RolloutEntry,
  type RolloutState,
  type Target,
} from '../../api.ts';
import Choice from '../../parts/Choice.vue';
import { useWorkspace } from '../../stores/workspace.ts';
import { listen, withNews } from './live.ts';
import Losses from './Losses.vue';
import ProbePanel from './ProbePanel.vue';
import StepList from './StepList.vue';
import TargetForm from './TargetForm.vue';
import AppUsers from './AppUsers.vue';
import Links from './Links.vue';
import Targets from './Targets.vue';
import Windows from './Windows.vue';
import Said from '../../parts/Said.vue';

/** How often it is asked whether the next of several has begun. */
const NEXT_MS = 400;

const STATES: Record<RolloutState, string> = {
  planned: 'planned, not applied',
  applying: 'applying …',
  applied: 'applied',
  failed: 'failed',
  stopped: 'stopped',
  interrupted: 'interrupted',
};

const workspace = useWorkspace();
const route = useRoute();
const router = useRouter();
const slug = computed(() => String(route.params.slug));
const targets = ref<Target[]>();
const list = ref<RolloutEntry[]>([]);
/** A target, or `all of` an environment. */
const target = ref<number | string>();
const revision = ref<number>();
const current = shallowRef<Rollout>();
const trouble = ref('');
const busy = ref(false);
/** Why an approver consents. */
const words = ref('');
/** Whether somebody agrees to what it destroys. */
const agreed = ref(false);
const protections = ref<string[]>([]);
const approver = computed(() => ['approver', 'owner'].includes(workspace.topology?.role ?? ''));

/** Runs something that talks to the server; what goes wrong is shown, and nothing else is started meanwhile. */
async function attempt(work: () => Promise<void>) {
  busy.value = true;
  trouble.value = '';
  try {
    await work();
  } catch (error) {
    const said = error instanceof ApiProblem ? error.more['said'] : undefined;
    trouble.value = (error as Error).message + (said ? ` The network says: ${String(said)}` : '');
  } finally {
    busy.value = false;
  }
}

async function refresh(id: number) {
  if (current.value?.id !== id) agreed.value = false;
  current.value = await api.rollout(slug.value, id);
  list.value = await api.rollouts(slug.value);
  if (current.value.state === 'applied') await workspace.standAgain();
}

watch(
  slug,
  () =>
    attempt(async () => {
      targets.value = await api.targets(slug.value);
      list.value = await api.rollouts(slug.value);
      protections.value = await api.protections(slug.value);
      target.value ??= targets.value[0]?.id;
      revision.value ??= workspace.revisions[0]?.number;
      const asked = Number(route.query.rollout) || list.value[0]?.id;
      if (asked) await refresh(asked);
    }),
  { immediate: true },
);

let deaf = () => {};
/** Steps are told as they go on, not asked for again and again. */
watch(
  () => [current.value?.id, current.value?.state === 'applying'] as const,
  ([id, running], before) => {
    deaf();
    deaf = () => {};
    if (id === undefined) return;
    // what came of it is asked for once more, whole
    if (!running && before[0] === id && before[1])
      void refresh(id).catch((error: Error) => (trouble.value = error.message));
    if (!running) return;
    deaf = listen(slug.value, id, current.value!.change, {
      news: (news) => (current.value = withNews(current.value!, news)),
      over: () => void refresh(id).catch((error: Error) => (trouble.value = error.message)),
    });
  },
);
let later: ReturnType<typeof setTimeout> | undefined;
/** The rollout that was shown while it, or one planned with it, went on. */
let followed: number | undefined;
/** While those planned together go on, how far they are; what begins next is shown, however quickly it ends. */
watch(current, (it) => {
  clearTimeout(later);
  if (!it) return;
  const goOn = it.group.some(({ waits, state }) => waits || state === 'applying');
  if (goOn || it.state === 'applying') followed = it.id;
  if (it.state === 'applying') return;
  const next = it.group.find(({ id, waits, state }) => id > it.id && !waits && state !== 'planned');
  if (next && it.state === 'applied' && followed === it.id) {
    followed = next.id;
    return void choose(next.id);
  }
  if (goOn)
    later = setTimeout(
      () => void refresh(it.id).catch((error: Error) => (trouble.value = error.message)),
      NEXT_MS,
    );
});
onUnmounted(() => {
  deaf();
  clearTimeout(later);
});

/** Whether another broker is about to be connected. */
const connecting = ref(false);
const connected = (id: number) =>
  attempt(async () => {
    targets.value = await api.targets(slug.value);
    target.value = id;
    connecting.value = false;
    await workspace.standAgain();
  });
const removed = () =>
  attempt(async () => {
    targets.value = await api.targets(slug.value);
    if (!targets.value.some(({ id }) => id === target.value)) target.value = targets.value[0]?.id;
    await workspace.standAgain();
  });
// a revision saved from here is the one to carry out
watch(
  () => workspace.revisions[0]?.number,
  (number) => (revision.value ??= number),
);

const choose = (id: number) =>
  attempt(async () => {
    await refresh(id);
    await router.replace({ query: { ...route.query, rollout: String(id) } });
  });
const plan = (wanted: Parameters<typeof api.planRollout>[2]) =>
  attempt(async () => {
    const on =
      typeof target.value === 'number' ? { target: target.value } : { environment: environment.value! };
    const { id } = await api.planRollout(slug.value, on, wanted);
    await refresh(id);
    await router.replace({ query: { ...route.query, rollout: String(id) } });
  });
const apply = () =>
  attempt(async () => {
    await api.applyRollout(slug.value, current.value!.id, agreed.value ? goes.value : undefined);
    await refresh(current.value!.id);
  });
const consent = () =>
  attempt(async () => {
    await api.consent(slug.value, current.value!.id, words.value.trim());
    words.value = '';
    await refresh(current.value!.id);
  });
const stop = () => attempt(() => api.stopRollout(slug.value, current.value!.id));
const more = () =>
  attempt(async () => {
    const known = current.value!;
    const page = await api.steps(slug.value, known.id, known.steps.length);
    current.value = { ...known, steps: [...known.steps, ...page] };
  });

const ALL = 'all of ';
const environment = computed(() =>
  typeof target.value === 'string'
    ? target.value.slice(ALL.length)
    : targets.value?.find(({ id }) => id === target.value)?.environment,
);
/** What may be chosen: each target, and an environment with several of them whole. */
const places = computed(() => {
  const all = targets.value ?? [];
  const several = [...new Set(all.map((each) => each.environment))].filter(
    (each) => all.filter((other) => other.environment === each).length > 1,
  );
  return [
    ...several.map((each) => ({ value: `${ALL}${each}`, label: `${ALL}${each}` })),
    ...all.map((each) => ({ value: each.id, label: name(each) })),
  ];
});
const isProtected = computed(
  () => environment.value !== undefined && protections.value.includes(environment.value),
);
const protect = () =>
  attempt(async () => {
    await api.protect(slug.value, environment.value!, !isProtected.value);
    protections.value = await api.protections(slug.value);
  });

/** The revision that stands on the chosen target. */
const standsThere = computed(() => {
  const of = environment.value;
  const broker = targets.value?.find(({ id }) => id === target.value)?.broker;
  const last = list.value.find(
    (each) =>
      each.environment === of &&
      (broker === undefined || each.broker === broker) &&
      each.state === 'applied' &&
      !(broker === undefined && each.tearsDown),
  );
  return last?.tearsDown ? undefined : last?.revision;
});
/** Whether it can be probed: it stands there, or something did before it. */
const probed = computed(() => {
  const it = current.value;
  if (it?.state === 'applied') return !it.tearsDown;
  const last = list.value.find(
    (each) => each.environment === it?.environment && each.broker === it.broker && each.state === 'applied',
  );
  return it?.state === 'planned' && last !== undefined && !last.tearsDown;
});
/** The revision that stood there before this rollout. */
const was = computed(() => {
  const it = current.value;
  const before = list.value.find(
    (each) =>
      it !== undefined &&
      each.id < it.id &&
      each.environment === it.environment &&
      each.broker === it.broker &&
      each.state === 'applied',
  );
  return before?.tearsDown ? undefined : before?.revision;
});
/** What a rollout does, in a line. */
const titleOf = (each: RolloutEntry) =>
  `${each.tearsDown ? `all of r${each.revision} taken away from` : `r${each.revision} on`} ${name(each)}`;
/** This rollout, and those that follow it by themselves. */
const toCome = computed(() =>
  (current.value?.group ?? []).filter(
    ({ id, state }) => id === current.value!.id || (id > current.value!.id && state === 'planned'),
  ),
);
/** What goes with queues that are removed or made anew, in all of them. */
const goes = computed(() => {
  const all = toCome.value;
  return {
    destroys: all.reduce((sum, { destroys }) => sum + destroys, 0),
    cutsOff: all.reduce((sum, { cutsOff }) => sum + cutsOff, 0),
  };
});
const steps = (count: number) => `${count} step${count === 1 ? '' : 's'}`;
const applyWords = computed(() => {
  const [own, ...then] = toCome.value;
  if (!own) return '';
  const rest = then.map((each) => `${each.steps} on ${each.broker}`).join(', then ');
  const first = own.steps ? `Apply ${steps(own.steps)}` : 'Mark as applied';
  return rest ? `${first}, then ${rest}` : first;
});
/** Why it cannot be applied yet, in words; nothing where it can. */
const notYet = computed(() => {
  const it = current.value;
  if (!it) return '';
  if (!workspace.canOperate) return 'You may read this topology, not carry it out.';
  if (it.needsConsent && !it.consentBy) return 'An approver has to consent first.';
  if (goes.value.destroys && !agreed.value) return 'Say first that what waits may be destroyed.';
  if (goes.value.cutsOff && !agreed.value) return 'Say first that takers may be cut off.';
  if (it.startsAfter) return 'It begins when the one before is carried out.';
  return '';
});
const name = (each: { environment: string; broker: string }) => `${each.environment} · ${each.broker}`;
</script>

<template>
  <div class="rollout">
    <section class="choose" aria-label="what and where">
      <h2>Carry out</h2>
      <div v-if="workspace.looked && workspace.revisions.length === 0" class="first">
        <p class="soft">What is carried out is a saved revision, and there is none yet.</p>
        <el-button v-if="workspace.canWrite" type="primary" @click="workspace.savingRevision = true"
          >Save a revision…</el-button
        >
      </div>
      <Choice
        v-model="revision"
        words="revision"
        called="revision"
        no-data-text="Save a revision first"
        :options="
          workspace.revisions.map((each) => ({ value: each.number, label: `r${each.number} ${each.words}` }))
        "
      />
      <Choice v-model="target" words="on" called="target" :options="places" />
      <button
        v-if="targets?.length && workspace.canOperate"
        class="plain link"
        @click="connecting = !connecting"
      >
        {{ connecting ? 'no, leave it' : 'connect another broker' }}
      </button>
      <template v-if="targets?.length === 0 || connecting">
        <p v-if="targets?.length === 0" class="soft">No broker of this topology is connected yet.</p>
        <TargetForm :slug="slug" @set="connected" />
      </template>
      <el-button
        type="primary"
        :loading="busy"
        :disabled="!workspace.canOperate || !target || !revision"
        @click="plan({ revision: revision! })"
        >Read the broker and list the steps</el-button
      >
      <button
        v-if="standsThere && workspace.canOperate"
        class="plain link"
        :disabled="busy"
        @click="plan({ tearDown: true })"
      >
        or what would take away all of r{{ standsThere }} there
      </button>
      <p v-if="environment" class="soft protection" data-testid="protection">
        {{
          isProtected
            ? `${environment} is protected: what goes there needs the consent of an approver who did not write it and does not start it.`
            : `${environment} is not protected.`
        }}
        <button v-if="approver" class="plain link" :disabled="busy" @click="protect">
          {{ isProtected ? 'lift this' : `protect ${environment}` }}
        </button>
      </p>
      <p v-if="trouble" class="error" role="alert"><Said :text="trouble" /></p>
      <Targets
        v-if="targets?.length && workspace.canOperate"
        :slug="slug"
        :targets="targets"
        @changed="removed"
      />
      <AppUsers :slug="slug" :changed="current?.state" />
      <Links :slug="slug" />
      <h2 v-if="list.length">Earlier</h2>
      <ul class="earlier">
        <li v-for="each in list" :key="each.id">
          <button class="plain" :class="{ current: each.id === current?.id }" @click="choose(each.id)">
            <span>{{ titleOf(each) }}</span>
            <span class="soft"
              >{{ STATES[each.state] }} · {{ new Date(each.createdAt).toLocaleString() }} ·
              {{ each.by }}</span
            >
          </button>
        </li>
      </ul>
    </section>

    <section v-if="current" class="steps" :class="{ wide: !probed }" aria-label="steps">
      <header>
        <h2>
          {{ titleOf(current) }}
          <span
            :class="{
              good: current.state === 'applied' && current.verified,
              error: ['failed', 'interrupted'].includes(current.state),
            }"
            data-testid="rollout-state"
            >{{ STATES[current.state] }}</span
          >
        </h2>
        <p v-if="current.group.length > 1" class="group" data-testid="group">
          <span class="soft">one after the other:</span>
          <button
            v-for="each in current.group"
            :key="each.id"
            class="plain"
            :class="{ current: each.id === current.id }"
            @click="choose(each.id)"
          >
            {{ each.broker }}
            <span class="soft">{{ each.waits ? 'waits' : STATES[each.state] }}</span>
          </button>
        </p>
        <p v-if="current.state === 'applied'">
          <span v-if="current.verified" class="good">{{
            current.tearsDown
              ? 'Read back: nothing of it is there any more.'
              : 'Read back: the broker is as the revision says.'
          }}</span>
          <span v-else class="error">{{ current.error }}</span>
        </p>
        <p v-else-if="current.error" class="error">{{ current.error }}</p>
        <p v-if="current.note" class="warning">{{ current.note }}</p>
        <template v-if="current.state === 'applying'">
          <progress
            :value="current.count.done"
            :max="current.count.all"
            :aria-label="`${current.count.done} of ${current.count.all} steps`"
          />
          <p class="soft">{{ current.count.done }} of {{ current.count.all }} steps</p>
        </template>
        <p v-if="was !== undefined && was !== current.revision && !current.tearsDown">
          <router-link
            :to="{
              name: 'fan-out',
              params: route.params,
              query: { rev: String(current.revision), against: String(was), env: current.environment },
            }"
            >r{{ was }} and r{{ current.revision }} in the picture</router-link
          >
        </p>
        <p v-if="current.count.all === 0" class="good">Nothing to do: the broker has all of it already.</p>
        <p v-for="each in current.leftToOthers" :key="each.of" class="soft" data-testid="left-out">
          Not carried out: <code>{{ each.of }}</code>, for <Said :text="each.why" />.
        </p>
        <template v-if="current.state === 'planned'">
          <Losses
            v-model="agreed"
            :queues="current.destroys"
            :goes="goes"
            :asks="workspace.canOperate"
            :several="toCome.length > 1"
          />
          <Windows :windows="current.windows" :unproved="current.unproved" />
        </template>
        <div v-if="current.needsConsent" class="obstacles" data-testid="obstacles">
          <template v-if="current.obstacles.length">
            <p class="error">
              {{ current.obstacles.length === 1 ? 'This stands' : 'These stand' }} against r{{
                current.revision
              }}
              in {{ current.environment }}, which is protected:
            </p>
            <ul>
              <li v-for="each in current.obstacles" :key="each">{{ each }}</li>
            </ul>
          </template>
          <p v-else class="soft">
            {{ current.environment }} is protected. Nothing stands against r{{ current.revision }} there.
          </p>
          <p v-if="current.consentBy" class="soft">
            {{ current.consentBy }} consented{{ current.consentWords ? `: “${current.consentWords}”` : '.' }}
          </p>
          <template v-else-if="current.state === 'planned' && approver">
            <el-input
              v-model="words"
              type="textarea"
              :rows="2"
              :placeholder="
                current.obstacles.length ? 'why it may go there all the same' : 'what you want to say with it'
              "
              aria-label="words of consent"
            />
            <el-button
              :loading="busy"
              :disabled="current.obstacles.length > 0 && words.trim().length < 10"
              @click="consent"
              >Consent</el-button
            >
          </template>
          <p v-else-if="current.state === 'planned'" class="soft">
            An approver who did not write r{{ current.revision }} has to consent, and somebody else starts it.
          </p>
        </div>
        <div class="acts">
          <el-button
            v-if="current.state === 'planned'"
            type="primary"
            :loading="busy"
            :disabled="notYet !== ''"
            @click="apply"
            >{{ applyWords }}</el-button
          >
          <span v-if="current.state === 'planned' && notYet" class="soft">{{ notYet }}</span>
          <el-button v-if="current.state === 'applying'" :disabled="current.stopAsked" @click="stop">{{
            current.stopAsked ? 'Stopping …' : 'Stop after this step'
          }}</el-button>
        </div>
      </header>
      <StepList :steps="current.steps" :revision="current.revision" />
      <el-button v-if="current.steps.length < current.count.all" :loading="busy" @click="more">
        Show more of the {{ current.count.all }} steps
      </el-button>
      <p v-if="current.inPlace" class="soft">
        {{ current.inPlace }} {{ current.inPlace === 1 ? 'thing is' : 'things are' }} in place already.
      </p>
      <p v-if="current.kept.length" class="soft">
        Kept, though this revision does not know it: {{ current.kept.join(', ') }}.
      </p>
    </section>
    <section v-else class="steps alone">
      <p class="soft">
        Choose a revision and a target. Vondle reads what the broker has and lists the steps that would make
        it as the revision says; nothing is touched before you apply them.
      </p>
    </section>
    <ProbePanel
      v-if="current && probed"
      :rollout="current"
      :slug="slug"
      :list="list"
      @probed="(probes) => (current = { ...current!, probes: [...probes, ...current!.probes] })"
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
.alone,
.wide {
  grid-column: 2 / -1;
}
.choose .link {
  color: var(--accent);
  text-decoration: underline;
  font-size: 13px;
}
.group {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 10px;
  align-items: baseline;
}
.group button {
  padding: 1px 6px;
}
.group .current {
  background: var(--accent-sheet);
}
.first {
  display: grid;
  gap: 6px;
  justify-items: start;
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
.obstacles .el-button {
  justify-self: start;
}
.protection button {
  text-decoration: underline;
}
.acts {
  display: flex;
  gap: 10px;
  align-items: center;
}
.steps h2 span {
  font-weight: normal;
  margin-left: 6px;
}
.steps header {
  display: grid;
  gap: 6px;
}
progress {
  width: 100%;
  accent-color: var(--accent);
}
</style>
