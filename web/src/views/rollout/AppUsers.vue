<script setup lang="ts">
import { ElButton } from 'element-plus';
import { ref, shallowRef, watch } from 'vue';
import { api, type CredentialEntry, type HandedOut } from '../../api.ts';
import { useWorkspace } from '../../stores/workspace.ts';

/** The users that stand for apps on brokers; the password of each is handed out once. */
const props = defineProps<{ slug: string; changed?: unknown }>();
const workspace = useWorkspace();
const all = shallowRef<readonly CredentialEntry[]>([]);
const out = shallowRef<HandedOut>();
const asking = ref(0);
const busy = ref(false);
const trouble = ref('');

const look = async () => (all.value = await api.credentials(props.slug).catch(() => all.value));
watch(() => [props.slug, props.changed], look, { immediate: true });

async function give({ id, handedOutAt }: CredentialEntry) {
  busy.value = true;
  trouble.value = '';
  out.value = undefined;
  try {
    out.value = await (handedOutAt ? api.renewPassword : api.handOut)(props.slug, id);
    asking.value = 0;
    await look();
  } catch (error) {
    trouble.value = (error as Error).message;
  } finally {
    busy.value = false;
  }
}
const copy = () => navigator.clipboard?.writeText(out.value!.password);
const since = ({ handedOutAt, handedOutTo }: CredentialEntry) =>
  handedOutAt
    ? `handed out to ${handedOutTo ?? 'somebody who left'}, ${new Date(handedOutAt).toLocaleDateString()}`
    : 'not handed out yet';
</script>

<template>
  <details v-if="all.length" role="region" aria-label="users of apps">
    <summary>
      <h2>Users of apps</h2>
      <span class="soft">{{ all.length }}</span>
    </summary>
    <p class="soft">
      Each app signs in to a broker as a user of its own, which may do what its ways need. A password is shown
      once.
    </p>
    <p v-if="out" class="out" data-testid="handed-out" role="status">
      <span class="soft">user</span> <code>{{ out.user }}</code> <span class="soft">password</span>
      <code>{{ out.password }}</code>
      <el-button size="small" @click="copy">Copy the password</el-button>
      <span class="soft">It is not shown again.</span>
    </p>
    <p v-if="trouble" class="error" role="alert">{{ trouble }}</p>
    <ul>
      <li v-for="each in all" :key="each.id" data-testid="app-user">
        <span
          >{{ each.environment }} · {{ each.broker }} · <strong>{{ each.app }}</strong></span
        >
        <span class="soft">{{ since(each) }}</span>
        <template v-if="workspace.canOperate">
          <template v-if="asking === each.id">
            <button class="plain link error" :disabled="busy" @click="give(each)">
              make a new one: the old is worth nothing then
            </button>
            <button class="plain link" @click="asking = 0">leave it</button>
          </template>
          <button v-else-if="each.handedOutAt" class="plain link" @click="asking = each.id">
            give it another password
          </button>
          <button v-else class="plain link" :disabled="busy" @click="give(each)">
            hand out its password
          </button>
        </template>
      </li>
    </ul>
  </details>
</template>

<style scoped>
summary {
  cursor: pointer;
}
summary h2 {
  display: inline;
  margin-right: 6px;
}
ul {
  margin: 0;
  padding: 0;
  list-style: none;
}
li {
  display: grid;
  padding: 4px 0;
  border-bottom: 1px solid var(--hairline);
  justify-items: start;
}
.link {
  color: var(--accent);
  text-decoration: underline;
  font-size: 13px;
}
.link.error {
  color: var(--error);
}
.out {
  display: grid;
  gap: 2px;
  justify-items: start;
  padding: 8px;
  background: var(--band);
}
code {
  overflow-wrap: anywhere;
}
</style>
