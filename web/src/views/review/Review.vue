<script setup lang="ts">
import { ElButton, ElInput } from 'element-plus';
import { computed, ref, shallowRef, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { api, type ProposalEntry } from '../../api.ts';
import { useLive } from '../../stores/live.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import { ago } from '../entrance/ago.ts';
import OneProposal from './OneProposal.vue';

/** Drafts that are to become revisions, before others. */
const workspace = useWorkspace();
const live = useLive();
const route = useRoute();
const router = useRouter();
const proposals = shallowRef<ProposalEntry[]>();
const trouble = ref('');
const title = ref('');
const words = ref('');
const slug = computed(() => workspace.topology!.slug);
const picked = computed({
  get: () => {
    const asked = Number(route.query.proposal);
    return Number.isInteger(asked) && asked > 0 ? asked : undefined;
  },
  set: (number) =>
    void router.replace({
      query: { ...route.query, proposal: number === undefined ? undefined : String(number) },
    }),
});
const STATES = { open: 'open', kept: 'became a revision', withdrawn: 'withdrawn' };
const proposed = computed(() =>
  proposals.value?.find(({ draft, state }) => state === 'open' && draft === workspace.draft?.id),
);

async function look() {
  try {
    proposals.value = await api.proposals(slug.value);
    picked.value ??= proposals.value.find(({ state }) => state === 'open')?.number;
  } catch (error) {
    trouble.value = (error as Error).message;
  }
}
watch([() => live.state?.proposals, slug], () => void look(), { immediate: true });

async function propose() {
  trouble.value = '';
  try {
    await workspace.save();
    const proposal = { draft: workspace.draft!.id, title: title.value.trim(), words: words.value.trim() };
    const { number } = await api.propose(slug.value, proposal);
    title.value = '';
    words.value = '';
    await look();
    picked.value = number;
  } catch (error) {
    trouble.value = (error as Error).message;
  }
}
</script>

<template>
  <div class="review" :class="{ one: picked !== undefined }">
    <nav aria-label="proposals">
      <p v-if="trouble" class="error" role="alert">{{ trouble }}</p>
      <ol>
        <li v-for="each in proposals" :key="each.number">
          <button
            class="plain entry"
            :aria-current="each.number === picked ? 'true' : undefined"
            data-testid="proposal-entry"
            @click="picked = each.number"
          >
            <span class="words">{{ each.title }}</span>
            <span class="soft"
              >{{ each.authorName }}, {{ ago(each.createdAt) }} ·
              <span :class="{ good: each.state === 'kept' }">{{ STATES[each.state] }}</span></span
            >
          </button>
        </li>
      </ol>
      <p v-if="proposals?.length === 0" class="soft none">Nothing was proposed yet.</p>
      <p v-if="proposed" class="soft none">The draft on the bench is proposed: {{ proposed.title }}</p>
      <form v-else-if="workspace.canWrite" class="propose" @submit.prevent="propose">
        <h2>Propose the draft {{ workspace.draft?.name }}</h2>
        <label
          >What it changes, in a sentence
          <el-input v-model="title" maxlength="200" name="title" aria-label="what it changes" />
        </label>
        <label
          >Why, and what to look at
          <el-input v-model="words" type="textarea" :rows="3" maxlength="4000" aria-label="why" />
        </label>
        <el-button native-type="submit" type="primary" :disabled="!title.trim()">Propose it</el-button>
      </form>
    </nav>
    <OneProposal v-if="picked !== undefined" :number="picked" />
    <p v-else class="soft nothing">
      A draft becomes a revision at once, or is proposed first, so that others look at what it does. Who has
      to agree is written in the topology, under <code>review</code>.
    </p>
  </div>
</template>

<style scoped>
.review {
  display: grid;
  grid-template-columns: 270px minmax(0, 1fr);
}
.review.one {
  grid-template-columns: 230px minmax(0, 1fr) 280px;
}
nav {
  overflow: auto;
  padding: 10px 0;
  border-right: 1px solid var(--hairline);
}
.entry {
  display: grid;
  gap: 2px;
  width: 100%;
  padding: 8px 14px;
}
.entry:hover,
.entry[aria-current='true'] {
  background: var(--accent-sheet);
}
.words {
  overflow-wrap: anywhere;
}
.propose {
  display: grid;
  gap: 10px;
  justify-items: start;
  margin: 14px;
}
.propose label {
  display: grid;
  gap: 3px;
  width: 100%;
  font-size: 13px;
  color: var(--soft);
}
.none,
.nothing {
  padding: 8px 14px;
}
.nothing {
  max-width: 520px;
  padding: 22px;
}
</style>
