<script setup lang="ts">
import { ElButton, ElCheckbox, ElInput } from 'element-plus';
import { computed, nextTick, ref, shallowRef, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import Choice from '../../parts/Choice.vue';
import Mends from '../../parts/Mends.vue';
import NextStep from '../../parts/NextStep.vue';
import Said from '../../parts/Said.vue';
import { useWorkspace } from '../../stores/workspace.ts';
import { core } from '../../workers/client.ts';
import type { CheckView, FindingView, Spot } from '../../workers/views.ts';
import { showInText } from '../show.ts';

/** Everything that is wrong, to be gone through one by one: what, why it matters, and the way to mend it. */
const workspace = useWorkspace();
const route = useRoute();
const router = useRouter();

const WORDS = { error: 'Errors', warning: 'Warnings', advice: 'Advice' } as const;
const ONE = { error: 'Error', warning: 'Warning', advice: 'Advice' } as const;
const by = ref<'severity' | 'thing' | 'document' | 'kind'>('severity');
const wanted = ref('');
const onlyFresh = ref(false);
const list = ref<HTMLElement>();

const found = computed(() => {
  const words = wanted.value.trim().toLowerCase();
  return workspace.findings.filter(
    ({ message, check, spot, about, fresh }) =>
      (!onlyFresh.value || fresh) &&
      (!words || `${message} ${check} ${spot.doc} ${about ?? ''}`.toLowerCase().includes(words)),
  );
});
const fresh = computed(() => workspace.findings.filter((each) => each.fresh).length);

const groups = computed(() => {
  const titleOf = ({ severity, about, spot, check }: FindingView): string =>
    ({
      severity: WORDS[severity],
      thing: about?.replace(/^\w+:/, '') || 'nothing in particular',
      document: spot.doc,
      kind: check,
    })[by.value];
  const made = new Map<string, FindingView[]>();
  if (by.value === 'severity') for (const title of Object.values(WORDS)) made.set(title, []);
  for (const finding of found.value) {
    const title = titleOf(finding);
    const group = made.get(title);
    if (group) group.push(finding);
    else made.set(title, [finding]);
  }
  return [...made].filter(([, all]) => all.length);
});
const inOrder = computed(() => groups.value.flatMap(([, all]) => all));

const current = computed(
  () => inOrder.value.find((each) => each.id === route.query.finding) ?? inOrder.value[0],
);
const alike = computed(() => workspace.findings.filter(({ check }) => check === current.value?.check).length);

const checks = shallowRef<ReadonlyMap<string, CheckView>>(new Map());
void core.checks().then((all) => (checks.value = new Map(all.map((each) => [each.id, each]))));
const about = computed(() => checks.value.get(current.value?.check ?? ''));

const cured = shallowRef<{ check: string; message: string }[]>([]);
watch(
  () => workspace.proofs,
  async () => (cured.value = await core.cured()),
  { immediate: true },
);

function pick(finding: FindingView | undefined) {
  if (finding) void router.replace({ query: { ...route.query, finding: finding.id } });
}

/** The arrows go through the list, whatever groups it is in. */
function step(by: 1 | -1) {
  const all = inOrder.value;
  if (!current.value || all.length === 0) return;
  pick(all[(all.indexOf(current.value) + by + all.length) % all.length]);
  void nextTick(() => list.value?.querySelector<HTMLElement>('[aria-current=true]')?.focus());
}

const trouble = ref('');
const said = ref('');
const reason = ref<string>();
watch(current, () => {
  trouble.value = '';
  reason.value = undefined;
});

async function mendAll() {
  const { check } = current.value!;
  let mended = 0;
  let left = 0;
  const answer = await workspace.edit(async () => {
    const all = await core.mendAll(check);
    ({ mended, left } = all);
    return all.edits;
  });
  trouble.value = answer.ok ? '' : answer.message;
  said.value = answer.ok ? `${mended} mended${left ? `, ${left} left` : ''}; undo takes all of it back.` : '';
}

async function accept() {
  const { id } = current.value!;
  const because = reason.value ?? '';
  const answer = await workspace.edit(() => core.accept(id, because));
  trouble.value = answer.ok ? '' : answer.message;
  if (answer.ok) reason.value = undefined;
}

const show = (spot: Spot) => showInText(router, spot);
const excerpt = ({ doc, start }: Spot) => {
  const text = workspace.documents.find(({ name }) => name === doc)?.text ?? '';
  const from = text.lastIndexOf('\n', start - 1) + 1;
  const to = text.indexOf('\n', start);
  return text.slice(from, to < 0 ? undefined : to).trim();
};
</script>

<template>
  <div class="findings">
    <section class="all" aria-label="findings">
      <div class="bar">
        <el-input
          v-model="wanted"
          size="small"
          placeholder="find in findings"
          aria-label="find in findings"
          clearable
        />
        <Choice
          v-model="by"
          class="by soft"
          words="by"
          called="group by"
          size="small"
          :options="
            (['severity', 'thing', 'document', 'kind'] as const).map((each) => ({ value: each, label: each }))
          "
        />
      </div>
      <el-checkbox v-if="workspace.base" v-model="onlyFresh" size="small"
        >only what the draft adds to r{{ workspace.base }} ({{ fresh }})</el-checkbox
      >
      <p v-if="said" class="good" role="status">{{ said }}</p>
      <NextStep v-if="workspace.analysis.empty" />
      <p v-else-if="inOrder.length === 0" class="soft none">
        {{
          workspace.findings.length
            ? 'No finding is like that.'
            : 'Nothing is wrong, as far as the checks and the expectations can tell.'
        }}
      </p>
      <div ref="list" @keydown.down.prevent="step(1)" @keydown.up.prevent="step(-1)">
        <section v-for="[title, all] in groups" :key="title">
          <h2>
            <span :class="{ mono: by !== 'severity' }">{{ title }}</span>
            <span class="soft">{{ all.length }}</span>
          </h2>
          <ul>
            <li v-for="finding in all" :key="finding.id">
              <button
                class="plain row"
                :class="{ current: finding === current }"
                :aria-current="finding === current"
                data-testid="finding-row"
                @click="pick(finding)"
              >
                <span class="mark" :class="finding.severity">{{
                  { error: '✕', warning: '!', advice: '·' }[finding.severity]
                }}</span>
                <span class="words"><Said :text="finding.message" /></span>
                <span v-if="finding.fresh" class="new">new</span>
              </button>
            </li>
          </ul>
        </section>
      </div>
      <section v-if="cured.length" aria-label="cured" class="more">
        <h2>
          The draft cures <span class="soft">{{ cured.length }}</span>
        </h2>
        <p v-for="each in cured" :key="each.message" class="good"><Said :text="each.message" /></p>
      </section>
      <section v-if="workspace.accepted.length" aria-label="accepted" class="more">
        <h2>
          Accepted, with a reason <span class="soft">{{ workspace.accepted.length }}</span>
        </h2>
        <ul>
          <li
            v-for="each in workspace.accepted"
            :key="`${each.check} ${each.message}`"
            class="accepted"
            data-testid="accepted"
          >
            <p>
              “{{ each.because }}”
              <button class="plain link" @click="show(each.spot)">
                {{ each.spot.doc }} {{ each.spot.line }}
              </button>
            </p>
            <p class="soft"><Said :text="each.message" /></p>
          </li>
        </ul>
      </section>
    </section>

    <section v-if="current" class="one" aria-label="the finding" data-testid="the-finding">
      <p class="soft mono">{{ current.check }}</p>
      <h1>
        <span :class="current.severity">{{ ONE[current.severity] }}.</span> <Said :text="current.message" />
      </h1>
      <p v-if="about" class="why"><b>Why it matters.</b> <Said :text="about.why" /></p>
      <h2>Where</h2>
      <ul class="places">
        <li
          v-for="place in [{ spot: current.spot, message: '' }, ...current.related]"
          :key="`${place.spot.doc} ${place.spot.start}`"
        >
          <button class="plain link mono" @click="show(place.spot)">
            {{ place.spot.doc }} {{ place.spot.line }}
          </button>
          <code>{{ excerpt(place.spot) }}</code>
          <span v-if="place.message" class="soft"><Said :text="place.message" /></span>
        </li>
      </ul>
      <h2>Mend it</h2>
      <Mends v-if="current.mends.length" :key="current.id" :finding="current" open>
        <el-button v-if="alike > 1" size="small" :disabled="!workspace.canWrite" @click="mendAll"
          >Mend all {{ alike }} of this kind</el-button
        >
        <span v-if="alike > 1" class="soft">each by its first mend</span>
      </Mends>
      <p v-else class="soft">
        Only you can know what is meant here:
        <button class="plain link" @click="show(current.spot)">change the text</button>.
      </p>
      <template v-if="!/^(language|accept|expectation)\//.test(current.check)">
        <h2>Or is it meant?</h2>
        <form class="accept" @submit.prevent="accept">
          <el-input
            v-model="reason"
            size="small"
            placeholder="why it is meant"
            aria-label="why it is meant"
            :disabled="!workspace.canWrite"
          />
          <el-button size="small" native-type="submit" :disabled="!workspace.canWrite || !reason?.trim()"
            >Accept it, with this reason</el-button
          >
        </form>
        <p class="soft">
          The reason is written into the text as <code>accept</code>, where everybody sees it.
        </p>
      </template>
      <p v-if="trouble" class="error" role="alert"><Said :text="trouble" /></p>
    </section>
    <section v-else class="one">
      <p class="soft">
        Checks look at every change: where messages go nowhere, filters that never match, too many copies or
        too few, losses, permission that is missing or too wide. What they find stands here, with the edit
        that mends it.
      </p>
    </section>
  </div>
</template>

<style scoped>
.findings {
  display: grid;
  grid-template-columns: minmax(360px, 5fr) 6fr;
  min-height: 0;
}
.all,
.one {
  padding: 12px 14px;
  overflow: auto;
  min-height: 0;
  display: grid;
  gap: 10px;
  align-content: start;
}
.all {
  border-right: 1px solid var(--hairline);
}
.one {
  background: var(--sheet);
  overflow-wrap: anywhere;
}
.bar {
  display: grid;
  grid-template-columns: 1fr 150px;
  gap: 10px;
}
.by {
  display: flex;
  align-items: center;
  gap: 6px;
}
h1 {
  font-size: 16px;
  font-weight: 600;
  margin: 0;
  line-height: 1.4;
}
.all h2 {
  margin: 8px 0 2px;
  display: flex;
  gap: 6px;
}
.row {
  display: grid;
  grid-template-columns: 14px 1fr auto;
  gap: 6px;
  width: 100%;
  padding: 4px 6px;
  text-align: left;
  border-left: 3px solid transparent;
}
.row:hover {
  background: var(--band);
}
.row.current {
  background: var(--accent-sheet);
  border-left-color: var(--accent);
}
.mark {
  font-weight: 700;
  text-align: center;
}
.advice {
  color: var(--soft);
}
.words {
  overflow: hidden;
  display: -webkit-box;
  -webkit-line-clamp: 2;
  -webkit-box-orient: vertical;
  overflow-wrap: anywhere;
}
.new {
  color: var(--accent);
  font-size: 12px;
}
.places {
  display: grid;
  gap: 4px;
}
.places li {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 10px;
}
.link {
  color: var(--accent);
  text-decoration: underline;
}
.acts,
.accept {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
}
.accept :deep(.el-input) {
  flex: 1;
  min-width: 200px;
}
.more {
  border-top: 1px solid var(--hairline);
  display: grid;
  gap: 4px;
}
.accepted {
  padding: 3px 0;
}
</style>
