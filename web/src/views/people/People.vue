<script setup lang="ts">
import { ElButton, ElInput } from 'element-plus';
import { computed, ref, shallowRef, watch } from 'vue';
import { useRouter } from 'vue-router';
import { api, type Invitation, type Member, type Role } from '../../api.ts';
import { useLive } from '../../stores/live.ts';
import { useSession } from '../../stores/session.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import Trail from './Trail.vue';
import Webhooks from './Webhooks.vue';

/** Who belongs to the topology, as what; who is invited; and what everybody did. */
const workspace = useWorkspace();
const session = useSession();
const live = useLive();
const router = useRouter();

const ROLES: Readonly<Record<Role, string>> = {
  reader: 'looks at all of it',
  author: 'changes drafts, saves revisions',
  approver: 'what authors may, and agrees to what others made',
  operator: 'connects brokers, carries rollouts out, looks after messages',
  owner: 'all of that, and says who belongs to it',
};
const READS: Record<Member['reads'], string> = {
  nothing: 'not their bodies',
  bodies: 'bodies without guarded data',
  'guarded bodies': 'all bodies',
};
const members = shallowRef<Member[]>();
const invitations = shallowRef<Invitation[]>([]);
const trouble = ref('');
const leaving = ref('');
const role = ref<Role>('author');
const words = ref('');
const days = ref(7);
/** The link of an invitation, shown this once. */
const link = ref('');
const copied = ref(false);
const slug = computed(() => workspace.topology!.slug);
const owner = computed(() => workspace.topology?.role === 'owner');
const day = new Intl.DateTimeFormat('en', { dateStyle: 'medium' });

async function look() {
  const [all, open] = await Promise.all([
    api.members(slug.value),
    owner.value ? api.invitations(slug.value) : [],
  ]);
  members.value = all;
  invitations.value = open;
}
const setReads = (member: Member, event: Event) =>
  attempt(() =>
    api.setReads(slug.value, member.handle, (event.target as HTMLSelectElement).value as Member['reads']),
  );
/** Does something on the server, and says what was wrong where it could not be done. */
async function attempt(what: () => Promise<unknown>) {
  trouble.value = '';
  try {
    await what();
    await look();
  } catch (error) {
    trouble.value = (error as Error).message;
    await look().catch(() => undefined);
  }
}
// who joins, or gets another role, shows at once
watch([() => live.state, owner], () => void attempt(async () => undefined), { immediate: true });

const setRole = (member: Member, event: Event) =>
  attempt(() => api.setRole(slug.value, member.handle, (event.target as HTMLSelectElement).value as Role));
const end = ({ handle }: Member) =>
  attempt(async () => {
    leaving.value = '';
    await api.endMembership(slug.value, handle);
    if (handle === session.person?.handle) await router.push('/topologies');
  });
const invite = () =>
  attempt(async () => {
    const { key } = await api.invite(slug.value, { role: role.value, words: words.value, days: days.value });
    link.value = `${location.origin}/join/${key}`;
    copied.value = false;
    words.value = '';
  });
async function copy() {
  await navigator.clipboard.writeText(link.value);
  copied.value = true;
}
</script>

<template>
  <div class="page">
    <h1>People</h1>
    <p v-if="trouble" class="error" role="alert">{{ trouble }}</p>
    <section aria-label="members">
      <table v-if="members" class="listing">
        <thead>
          <tr>
            <th>who</th>
            <th>may</th>
            <th>reads in messages</th>
            <th><span class="visually-hidden">what can be done</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="member in members" :key="member.handle" data-testid="member">
            <th scope="row">
              <b>{{ member.name }}</b> <span class="mono soft">{{ member.handle }}</span>
            </th>
            <td>
              <select
                v-if="owner"
                :value="member.role"
                :aria-label="`role of ${member.name}`"
                @change="setRole(member, $event)"
              >
                <option v-for="(_, each) in ROLES" :key="each">{{ each }}</option>
              </select>
              <b v-else>{{ member.role }}</b>
              <span class="soft what">{{ ROLES[member.role] }}</span>
            </td>
            <td>
              <select
                v-if="owner"
                :value="member.reads"
                :aria-label="`what ${member.name} reads in messages`"
                @change="setReads(member, $event)"
              >
                <option v-for="(title, each) in READS" :key="each" :value="each">{{ title }}</option>
              </select>
              <span v-else class="soft">{{ READS[member.reads] }}</span>
            </td>
            <td class="act">
              <template v-if="leaving === member.handle">
                <button class="plain link error" @click="end(member)">
                  {{ member.handle === session.person?.handle ? 'leave' : `end ${member.name}’s membership` }}
                </button>
                <button class="plain link" @click="leaving = ''">stay</button>
              </template>
              <button
                v-else-if="owner || member.handle === session.person?.handle"
                class="plain link"
                @click="leaving = member.handle"
              >
                {{ member.handle === session.person?.handle ? 'leave …' : 'end …' }}
              </button>
            </td>
          </tr>
        </tbody>
      </table>
    </section>

    <section v-if="owner" aria-label="invitations">
      <h2>Let somebody in</h2>
      <form class="inline-form" @submit.prevent="invite">
        <label
          >as
          <select v-model="role" aria-label="role">
            <option v-for="(_, each) in ROLES" :key="each">{{ each }}</option>
          </select>
        </label>
        <label
          >for whom, in your words
          <el-input v-model="words" maxlength="200" aria-label="for whom" />
        </label>
        <label
          >open for
          <select v-model.number="days" aria-label="open for">
            <option :value="1">a day</option>
            <option :value="7">a week</option>
            <option :value="30">30 days</option>
          </select>
        </label>
        <el-button native-type="submit" type="primary">Make a link</el-button>
      </form>
      <p class="soft">{{ role }}: {{ ROLES[role] }}.</p>
      <div v-if="link" class="link-shown" role="status">
        <p>Send this link to them yourself. It works once, and is not shown again.</p>
        <code data-testid="invitation-link">{{ link }}</code>
        <el-button size="small" @click="copy">{{ copied ? 'copied' : 'copy' }}</el-button>
      </div>
      <table v-if="invitations.length" class="listing">
        <tbody>
          <tr v-for="each in invitations" :key="each.id" data-testid="invitation">
            <td>{{ each.words || 'an invitation' }}</td>
            <td>as {{ each.role }}</td>
            <td class="soft">by {{ each.by }}, open until {{ day.format(new Date(each.expiresAt)) }}</td>
            <td class="act">
              <button class="plain link" @click="attempt(() => api.takeBack(slug, each.id))">
                take it back
              </button>
            </td>
          </tr>
        </tbody>
      </table>
    </section>

    <Webhooks v-if="owner" :slug="slug" />
    <Trail :slug="slug" :people="members ?? []" :mark="members" />
  </div>
</template>

<style scoped>
.what {
  margin-left: 10px;
}
.link-shown {
  padding: 10px 14px;
  background: var(--accent-sheet);
}
.link-shown code {
  overflow-wrap: anywhere;
  margin-right: 10px;
}
</style>
