<script setup lang="ts">
import { ElButton, ElDialog, ElInput } from 'element-plus';
import { computed, ref, shallowRef, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { api, type DraftHead } from '../api.ts';
import { useLive } from '../stores/live.ts';
import { useSession } from '../stores/session.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { ago } from '../views/entrance/ago.ts';

/** The drafts of the topology: which there are, who is in them, another one begun, renamed or removed. */
const open = defineModel<boolean>({ required: true });
const workspace = useWorkspace();
const live = useLive();
const session = useSession();
const route = useRoute();
const router = useRouter();

const fetched = shallowRef<DraftHead[]>([]);
const name = ref('');
const from = ref<'revision' | 'draft'>('revision');
const trouble = ref('');
const asking = ref<number>();
const renaming = ref<{ id: number; name: string }>();
const drafts = computed(() => live.state?.drafts ?? fetched.value);
const newest = computed(() => workspace.revisions[0]?.number ?? 0);
const slug = computed(() => workspace.topology!.slug);
const mayChange = ({ main, owner }: DraftHead) =>
  !main && (owner === session.person?.handle || workspace.topology?.role === 'owner');
const inIt = (id: number) =>
  live.state?.people.filter(({ draft }) => draft === id).map((each) => each.name) ?? [];
const isOpen = (draft: DraftHead) => draft.id === workspace.draft?.id;
const mayBegin = computed(() => !['reader', 'operator'].includes(workspace.topology?.role ?? ''));

// this is loaded once it is opened: the first time, it is open from the start
watch(
  open,
  async (now) => {
    if (!now) return;
    trouble.value = '';
    asking.value = undefined;
    renaming.value = undefined;
    fetched.value = await api.drafts(slug.value).catch(() => []);
  },
  { immediate: true },
);

/** Does something on the server, and says what was wrong where it could not be done. */
async function attempt(what: () => Promise<unknown>) {
  trouble.value = '';
  try {
    await what();
    fetched.value = await api.drafts(slug.value);
  } catch (error) {
    trouble.value = (error as Error).message;
  }
}
async function go(draft: Pick<DraftHead, 'id' | 'main'>) {
  open.value = false;
  await router.push({ query: { ...route.query, rev: undefined, draft: draft.main ? undefined : draft.id } });
}
const begin = () =>
  attempt(async () => {
    await workspace.save();
    const base = from.value === 'draft' ? { draft: workspace.draft!.id } : { revision: newest.value };
    const { id } = await api.beginDraft(slug.value, name.value.trim(), base);
    name.value = '';
    await go({ id, main: false });
  });
const rename = () =>
  attempt(async () => {
    const { id, name: called } = renaming.value!;
    await api.renameDraft(slug.value, id, called.trim());
    renaming.value = undefined;
  });
const remove = (draft: DraftHead) =>
  attempt(async () => {
    asking.value = undefined;
    await api.removeDraft(slug.value, draft.id);
    if (isOpen(draft)) await go({ id: 0, main: true });
  });
</script>

<template>
  <el-dialog v-model="open" title="Drafts" width="680">
    <p v-if="trouble" class="error" role="alert">{{ trouble }}</p>
    <table class="listing">
      <thead>
        <tr>
          <th>draft</th>
          <th>goes on from</th>
          <th>changed</th>
          <th>open with</th>
          <th><span class="visually-hidden">what can be done</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="draft in drafts" :key="draft.id" data-testid="draft">
          <th scope="row">
            <form v-if="renaming?.id === draft.id" @submit.prevent="rename">
              <el-input v-model="renaming.name" size="small" maxlength="60" aria-label="its new name" />
            </form>
            <b v-else-if="isOpen(draft)">{{ draft.name }}</b>
            <button v-else class="plain link" @click="go(draft)">{{ draft.name }}</button>
            <span v-if="draft.owner" class="soft"> of {{ draft.owner }}</span>
          </th>
          <td>{{ draft.base ? `r${draft.base}` : 'nothing' }}</td>
          <td class="soft">
            {{ ago(draft.updatedAt) }}{{ draft.updatedBy ? ` by ${draft.updatedBy}` : '' }}
          </td>
          <td>{{ inIt(draft.id).join(', ') }}</td>
          <td class="acts">
            <template v-if="mayChange(draft)">
              <template v-if="asking === draft.id">
                All in it that is in no revision is lost.
                <button class="plain link error" @click="remove(draft)">remove it</button>
                <button class="plain link" @click="asking = undefined">keep it</button>
              </template>
              <template v-else>
                <button class="plain link" @click="renaming = { id: draft.id, name: draft.name }">
                  rename
                </button>
                <button class="plain link" @click="asking = draft.id">remove …</button>
              </template>
            </template>
          </td>
        </tr>
      </tbody>
    </table>
    <form v-if="mayBegin" class="begin" @submit.prevent="begin">
      <el-input v-model="name" maxlength="60" placeholder="what it is for" aria-label="name of a new draft" />
      <label v-if="newest"><input v-model="from" type="radio" value="revision" /> from r{{ newest }}</label>
      <label
        ><input v-model="from" type="radio" value="draft" /> with what {{ workspace.draft?.name }} has</label
      >
      <el-button native-type="submit" type="primary" :disabled="!name.trim()">Begin a draft</el-button>
    </form>
  </el-dialog>
</template>

<style scoped>
.acts {
  text-align: right;
}
.acts .link + .link {
  margin-left: 8px;
}
.begin {
  display: flex;
  align-items: center;
  gap: 12px;
  margin-top: 16px;
}
.begin label {
  white-space: nowrap;
}
</style>
