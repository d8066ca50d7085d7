<script setup lang="ts">
import { useEventListener } from '@vueuse/core';
import { ElButton, ElDialog, ElInput } from 'element-plus';
import { computed, defineAsyncComponent, onBeforeUnmount, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { useForms } from '../forms/store.ts';
import { WITH_WALK } from '../guide/ids.ts';
import Jump from '../parts/Jump.vue';
import Keys from '../parts/Keys.vue';
import Mark from '../parts/Mark.vue';
import WhatIsThis from '../parts/WhatIsThis.vue';
import { useLive } from '../stores/live.ts';
import { useWorkspace, type SaveState } from '../stores/workspace.ts';
import { useColorScheme } from '../stores/color-scheme.ts';
import { useSession } from '../stores/session.ts';
import { missingInWords, standingInWords } from '../stores/standings.ts';
import { ON_SERVER, VIEWS } from './list.ts';
import { showInText } from './show.ts';
import Said from '../parts/Said.vue';

const STATES: Record<SaveState, string> = {
  saved: 'saved',
  unsaved: 'not saved yet',
  saving: 'saving …',
  offline: 'offline: kept in this browser, trying again',
  moved: 'to be decided',
  refused: 'could not be saved',
};

/** Forms are loaded once somebody opens one. */
const NewThing = defineAsyncComponent(() => import('../forms/NewThing.vue'));
/** What two people changed otherwise is rarely met. */
const Conflicts = defineAsyncComponent(() => import('../parts/Conflicts.vue'));
const Drafts = defineAsyncComponent(() => import('../parts/Drafts.vue'));
/** So is the walk through an example. */
const Walk = defineAsyncComponent(() => import('../guide/Walk.vue'));
const walk = ref<{ takeUp: () => void }>();
const withWalk = computed(
  () => opened.value && workspace.topology !== undefined && WITH_WALK.has(workspace.analysis.name),
);
const forms = useForms();
const workspace = useWorkspace();
const session = useSession();
const live = useLive();
const colorScheme = useColorScheme();
const route = useRoute();
const router = useRouter();
const opened = ref(false);
const trouble = ref('');
const words = ref('');
const saveTrouble = ref('');

/** A number of the address; undefined where there is none. */
const numberOf = (value: unknown) =>
  typeof value === 'string' && /^\d{1,9}$/.test(value) ? Number(value) : undefined;
/** Which draft, and which revision is looked at instead of it, both in the address. */
const draftAsked = computed(() => numberOf(route.query.draft));
const lookedAt = computed(() => numberOf(route.query.rev));

watch(
  [() => route.params.slug, draftAsked] as const,
  async ([slug, draft]) => {
    if (typeof slug !== 'string') return;
    opened.value = false;
    trouble.value = '';
    try {
      await workspace.open(slug, draft);
      if (lookedAt.value !== undefined) await look(lookedAt.value);
      if (!workspace.topology?.local) live.listen(slug, draft);
      opened.value = true;
    } catch (error) {
      trouble.value = (error as Error).message;
    }
  },
  { immediate: true },
);

onBeforeUnmount(() => live.stop());

/** Looks at a revision, or with none at the draft again; at one that there is not, at the draft. */
async function look(revision: number | undefined) {
  try {
    await workspace.lookAt(revision);
  } catch {
    await router.replace({ query: { ...route.query, rev: undefined } });
  }
}
watch(lookedAt, (revision) => opened.value && look(revision));

/** Which draft is on the bench, and what it goes on from: `draft on r3`, `draft quieter storms on r4`. */
const draftInWords = computed(() => {
  const { draft, base } = workspace;
  return `draft${draft && !draft.main ? ` ${draft.name}` : ''} on ${base ? `r${base}` : 'no revision yet'}`;
});
const listing = ref(false);
/** Whether the drafts were ever listed: before that there is no need of the dialog. */
const listed = ref(false);
watch(listing, (now) => now && (listed.value = true));
const wordsOf = (revision: number) => {
  const found = workspace.revisions.find(({ number }) => number === revision);
  return found ? `${found.author}: ${found.words}` : '';
};
const bringing = ref('');
async function bringIn(revision: number) {
  bringing.value = '';
  try {
    await workspace.bringIn(revision);
  } catch (error) {
    bringing.value = (error as Error).message;
  }
}

const errors = computed(() => workspace.counts.error);
const warnings = computed(() => workspace.counts.warning);
const broken = computed(() => workspace.proofs.filter(({ verdict }) => verdict !== 'kept').length);
/** How much there is to look at in a view, beside its name. */
const railCounts = computed<Partial<Record<string, { count: number; kind: string }>>>(() => {
  const findings = errors.value + warnings.value + workspace.counts.advice;
  const kind = errors.value ? 'error' : warnings.value ? 'warning' : 'soft';
  return {
    ...(findings ? { findings: { count: findings, kind } } : {}),
    ...(broken.value ? { expectations: { count: broken.value, kind: 'error' } } : {}),
  };
});
const plural = (n: number, word: string) => `${n} ${word}${n === 1 ? '' : 's'}`;

/** The query every view understands; a view's own state stays behind. */
const shared = computed(() => {
  const { sel, type, sample, from, env, draft, rev } = route.query;
  return { sel, type, sample, from, env, draft, rev };
});

/** The folder whose files are edited, where there is no server behind it. */
const local = computed(() => workspace.topology?.local ?? '');
const views = computed(() => VIEWS.filter(({ name }) => !local.value || !ON_SERVER.has(name)));
// what was written to the files elsewhere is there when one comes back
useEventListener('focus', () => void workspace.lookAgain().catch(() => undefined));
useEventListener('beforeunload', () => void workspace.save());

/** The environment that everything is looked at in, which is in the address. */
const environment = computed({
  get: () => (typeof route.query.env === 'string' ? route.query.env : ''),
  set: (name: string) => void router.replace({ query: { ...route.query, env: name || undefined } }),
});
watch(environment, (name) => workspace.lookIn(name), { immediate: true });
const environments = computed(() => {
  const { names } = workspace.analysis.environments;
  return environment.value && !names.includes(environment.value) ? [...names, environment.value] : names;
});

/** Whether a form was ever opened: before that there is no need of the dialog. */
const forming = ref(false);
watch(
  () => forms.opening,
  (opening) => opening && (forming.value = true),
);

const jumping = ref(false);
const keys = ref(false);

/** The finding after or before the one the address shows, round and round. */
function toFinding(by: 1 | -1) {
  const { findings } = workspace;
  if (findings.length === 0) return;
  const { doc, at } = route.query;
  const now = findings.findIndex(({ spot }) => spot.doc === doc && `${spot.start}-${spot.end}` === at);
  const next = now < 0 ? (by > 0 ? 0 : findings.length - 1) : (now + by + findings.length) % findings.length;
  showInText(router, findings[next]!.spot);
}

useEventListener('keydown', (event: KeyboardEvent) => {
  if (event.defaultPrevented) return;
  const target = event.target as HTMLElement;
  const typing = target.closest('input, textarea, [contenteditable=true]') !== null;
  const act = (run: () => void) => {
    event.preventDefault();
    run();
  };
  if (event.altKey && !event.ctrlKey && !event.metaKey) {
    const view = views.value.find(({ key }) => event.code === `Digit${key}` || event.code === `Key${key}`);
    if (view) act(() => void router.push({ name: view.name, params: route.params, query: shared.value }));
    else if (event.code === 'KeyJ') act(() => (jumping.value = true));
    else if (event.code === 'KeyN') act(() => toFinding(1));
    else if (event.code === 'KeyP') act(() => toFinding(-1));
  } else if (!typing && (event.ctrlKey || event.metaKey) && event.code === 'KeyZ') {
    act(event.shiftKey ? workspace.redo : workspace.undo);
  } else if (!typing && event.key === '?') {
    act(() => (keys.value = true));
  }
});

/** What can be done with the revision, and what cannot, and why: the server holds to the same. */
const afterwards = computed(() => {
  const inTheWay = [
    ...(errors.value ? [plural(errors.value, 'error')] : []),
    ...(broken.value ? [`${plural(broken.value, 'expectation')} broken`] : []),
  ].join(' and ');
  const connected = workspace.standings.length > 0;
  return [
    { can: true, how: '', words: 'be compared with, by everybody' },
    connected
      ? {
          can: true,
          how: '',
          words:
            'be carried out on a broker that is connected, errors or not: a rehearsal is where they show',
        }
      : {
          can: false,
          how: 'soft',
          words: 'be carried out yet: no broker is connected; that is done in Rollout',
        },
    inTheWay
      ? {
          can: false,
          how: 'error',
          words: `go to a protected environment: ${inTheWay} ${errors.value + broken.value === 1 ? 'is' : 'are'} in the way`,
        }
      : {
          can: true,
          how: '',
          words: 'go to a protected environment, once an approver who did not write it consents',
        },
  ];
});

async function keep() {
  saveTrouble.value = '';
  try {
    await workspace.saveRevision(words.value);
    workspace.savingRevision = false;
    words.value = '';
  } catch (error) {
    saveTrouble.value = (error as Error).message;
  }
}

async function signOut() {
  await workspace.save();
  await session.signOut();
  await router.push('/sign-in');
}
</script>

<template>
  <div v-if="trouble" class="trouble">
    <p role="alert">{{ trouble }}</p>
    <router-link to="/topologies">See the topologies you belong to</router-link>
  </div>
  <div v-else class="workspace">
    <header>
      <router-link to="/topologies" class="brand"><Mark /> vondle</router-link>
      <strong class="topology">{{ workspace.topology?.name }}</strong>
      <span class="soft on">
        <template v-if="local"><span :title="local">files of this folder</span></template
        ><template v-else-if="workspace.looking !== undefined"
          ><b>r{{ workspace.looking }}</b
          >, as it was saved:
          <router-link :to="{ query: { ...route.query, rev: undefined } }">back to the draft</router-link>
        </template>
        <button
          v-else
          class="plain drafts"
          aria-haspopup="dialog"
          title="the drafts of this topology"
          data-testid="drafts"
          @click="listing = true"
        >
          {{ draftInWords }} ▾
        </button>
        <span v-if="live.others.length" class="with" data-testid="others" :title="live.others.join(', ')"
          >with {{ live.others.slice(0, 2).join(', ')
          }}{{ live.others.length > 2 ? ` and ${live.others.length - 2} more` : '' }}</span
        >
        <span
          v-if="workspace.looking === undefined"
          class="state"
          :class="workspace.saveState"
          role="status"
          data-testid="save-state"
          >{{ STATES[workspace.saveState] }}</span
        >
        <span v-if="workspace.saveTrouble" class="error">{{ workspace.saveTrouble }}</span>
      </span>
      <!-- the browser's own: it is all that a first visit would need the larger one for -->
      <select
        v-if="environments.length"
        v-model="environment"
        class="environment"
        aria-label="the environment looked at"
        title="values, names on brokers and findings are of this environment, in every view"
        data-testid="environment"
      >
        <option value="">no environment</option>
        <option v-for="each in environments" :key="each" :value="each">as in {{ each }}</option>
      </select>
      <router-link
        v-if="workspace.standings.length"
        :to="{ name: 'rollout', params: route.params, query: shared }"
        class="soft standings"
        data-testid="standings"
        :title="missingInWords(workspace.standings) || undefined"
        >{{ workspace.standings.map(standingInWords).join(' · ') }}</router-link
      >
      <span v-if="workspace.canWrite" class="steps">
        <button class="plain tool" :disabled="!workspace.canUndo" @click="workspace.undo">undo</button>
        <button class="plain tool" :disabled="!workspace.canRedo" @click="workspace.redo">redo</button>
      </span>
      <span class="fill" />
      <button class="plain tool" aria-keyshortcuts="Alt+J" @click="jumping = true">go to …</button>
      <router-link
        :to="{ name: 'findings', params: route.params, query: shared }"
        class="counts"
        data-testid="finding-counts"
      >
        <span v-if="errors" class="error">{{ plural(errors, 'error') }}</span>
        <span v-if="warnings" class="warning">{{ plural(warnings, 'warning') }}</span>
        <span v-if="!workspace.looked" class="soft">looking …</span>
        <span v-else-if="workspace.analysis.empty" class="soft">nothing to check yet</span>
        <span v-else-if="!errors && !warnings" class="good">no findings</span>
        <span v-if="workspace.proofs.length" :class="broken ? 'error' : 'good'" class="kept">{{
          broken
            ? `${broken} of ${workspace.proofs.length} expectations broken`
            : `${plural(workspace.proofs.length, 'expectation')} kept`
        }}</span>
      </router-link>
      <el-button v-if="!local" :disabled="!workspace.canWrite" @click="workspace.savingRevision = true"
        >Save revision…</el-button
      >
    </header>
    <nav aria-label="views">
      <router-link
        v-for="view in views"
        :key="view.name"
        :to="{ name: view.name, params: route.params, query: shared }"
        >{{ view.title }}
        <span v-if="railCounts[view.name]" class="count" :class="railCounts[view.name]!.kind">{{
          railCounts[view.name]!.count
        }}</span>
      </router-link>
      <div class="foot">
        <button v-if="withWalk" class="plain link" data-testid="walk-again" @click="walk?.takeUp()">
          walk through it
        </button>
        <WhatIsThis :view="String(route.name)" />
        <button class="plain tool" aria-keyshortcuts="?" @click="keys = true">keys</button>
        <button
          class="plain tool"
          :aria-label="colorScheme.dark ? 'light' : 'dark'"
          @click="colorScheme.dark = !colorScheme.dark"
        >
          {{ colorScheme.dark ? 'light' : 'dark' }}
        </button>
        <router-link v-if="!local" to="/account" class="tool">{{ session.person?.name }}</router-link>
        <button
          v-if="!local"
          class="plain tool"
          :title="`signed in as ${session.person?.name ?? ''}`"
          @click="signOut"
        >
          sign out
        </button>
      </div>
    </nav>
    <main>
      <Walk
        v-if="withWalk"
        :key="workspace.topology!.slug"
        ref="walk"
        :example="workspace.analysis.name"
        :slug="workspace.topology!.slug"
      />
      <Conflicts v-if="workspace.saveState === 'moved' && workspace.conflicts.length" />
      <p v-else-if="opened && live.newer && workspace.canWrite" class="newer" data-testid="newer">
        r{{ live.newer }} was saved meanwhile ({{ wordsOf(live.newer) }}).
        <el-button size="small" @click="bringIn(live.newer)">bring it into this draft</el-button>
        <span v-if="bringing" class="error" role="alert">{{ bringing }}</span>
      </p>
      <p v-if="workspace.trouble" class="moved" role="alert"><Said :text="workspace.trouble" /></p>
      <router-view v-if="opened" :key="workspace.looking ?? 0" />
      <p v-else class="opening soft">opening …</p>
    </main>

    <Jump v-model="jumping" />
    <Keys v-model="keys" />
    <Drafts v-if="listed" v-model="listing" />
    <NewThing v-if="forming" />
    <el-dialog v-model="workspace.savingRevision" title="Save a revision" width="500">
      <form class="save" @submit.prevent="keep">
        <p>
          The draft as it is now becomes revision {{ (workspace.revisions[0]?.number ?? 0) + 1 }}, which never
          changes again. Nothing happens on any broker by that.
        </p>
        <ul class="can">
          <li v-for="each in afterwards" :key="each.words" :class="each.can ? 'good' : each.how">
            <b>{{ each.can ? 'can' : 'cannot' }}</b> {{ each.words }}
          </li>
        </ul>
        <label>
          What does it change, and why?
          <el-input v-model="words" type="textarea" :rows="3" name="words" autofocus />
        </label>
        <p v-if="saveTrouble" class="error" role="alert"><Said :text="saveTrouble" /></p>
        <el-button type="primary" native-type="submit" :disabled="!words.trim()">Save</el-button>
      </form>
    </el-dialog>
  </div>
</template>

<style scoped>
.workspace {
  height: 100%;
  display: grid;
  grid-template: 42px 1fr / 124px 1fr;
}
header {
  grid-column: 1 / 3;
  display: flex;
  align-items: center;
  gap: 12px;
  padding: 0 12px;
  background: var(--sheet);
  border-bottom: 1px solid var(--hairline);
  white-space: nowrap;
}
.brand {
  display: flex;
  align-items: center;
  gap: 8px;
  font-weight: 600;
  font-size: 16px;
  color: var(--ink);
  text-decoration: none;
  padding-right: 12px;
  border-right: 1px solid var(--hairline);
}
.topology,
.on {
  overflow: hidden;
  text-overflow: ellipsis;
}
.state {
  margin-left: 8px;
}
.standings {
  overflow: hidden;
  text-overflow: ellipsis;
  text-decoration: none;
}
.standings:hover {
  color: var(--ink);
}
.state.offline,
.state.moved,
.state.refused {
  color: var(--error);
}
.environment {
  width: 132px;
  flex: none;
}
.fill {
  flex: 1;
}
.counts {
  display: flex;
  gap: 12px;
  font-weight: 600;
  text-decoration: none;
}
.tool {
  color: var(--soft);
}
.tool:disabled {
  color: var(--faint);
  cursor: default;
}
.steps {
  display: flex;
  gap: 10px;
}
.tool:hover:enabled {
  color: var(--ink);
}
nav {
  background: var(--sheet);
  border-right: 1px solid var(--hairline);
  padding-top: 8px;
  display: flex;
  flex-direction: column;
}
nav a {
  padding: 6px 12px 6px 14px;
  color: var(--soft);
  text-decoration: none;
  border-left: 3px solid transparent;
}
nav a {
  display: flex;
  justify-content: space-between;
}
.foot .link {
  color: var(--accent);
  text-decoration: underline;
}
nav .foot a {
  padding: 0;
  border: 0;
}
nav .count {
  font-size: 12px;
  font-weight: 600;
}
nav a:hover {
  color: var(--ink);
}
nav a.router-link-active {
  color: var(--ink);
  font-weight: 600;
  background: var(--band);
  border-left-color: var(--accent);
}
.foot {
  margin: auto 14px 12px 17px;
  display: grid;
  gap: 6px;
  justify-items: start;
  font-size: 13px;
}
main {
  min-width: 0;
  min-height: 0;
  display: flex;
  flex-direction: column;
}
main > :last-child {
  flex: 1;
  min-height: 0;
}
.moved,
.newer {
  padding: 8px 14px;
}
.moved {
  background: var(--error-sheet);
}
.newer {
  background: var(--band);
}
.drafts {
  color: inherit;
}
.drafts:hover {
  color: var(--ink);
}
.with {
  margin-left: 8px;
  color: var(--accent);
}
.opening {
  padding: 20px;
}
.save,
.save label {
  display: grid;
  gap: 10px;
  justify-items: start;
}
.save label {
  width: 100%;
  gap: 4px;
}
.can {
  display: grid;
  gap: 2px;
}
.can b {
  font-weight: 600;
}
.trouble {
  max-width: 480px;
  margin: 80px auto;
  display: grid;
  gap: 10px;
}
</style>
