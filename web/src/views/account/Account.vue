<script setup lang="ts">
import { ElButton, ElInput } from 'element-plus';
import { computed, onMounted, ref, shallowRef } from 'vue';
import { api, type Scope, type SessionEntry, type TokenEntry, type TopologyEntry } from '../../api.ts';
import Mark from '../../parts/Mark.vue';
import { useSession } from '../../stores/session.ts';

/** One's own account: the password, where one is signed in, and the tokens of one's programs. */
const session = useSession();
const old = ref('');
const password = ref('');
const said = ref('');
const trouble = ref('');
const sessions = shallowRef<SessionEntry[]>([]);
const tokens = shallowRef<TokenEntry[]>([]);
const topologies = shallowRef<TopologyEntry[]>([]);
const token = ref({ slug: '', name: '', scope: 'read' as Scope, days: 90 });
/** A token that was just made, shown this once. */
const shown = ref('');
const when = new Intl.DateTimeFormat('en', { dateStyle: 'medium', timeStyle: 'short' });
const day = new Intl.DateTimeFormat('en', { dateStyle: 'medium' });
const SCOPES: Readonly<Record<Scope, string>> = {
  read: 'looks at the topology',
  write: 'looks, and changes drafts',
  operate: 'looks, and carries rollouts out',
};
const others = computed(() => sessions.value.filter(({ own }) => !own).length);

async function look() {
  [sessions.value, tokens.value, topologies.value] = await Promise.all([
    api.sessions(),
    api.tokens(),
    api.topologies(),
  ]);
  token.value.slug ||= topologies.value[0]?.slug ?? '';
}
onMounted(() => attempt(async () => ''));

/** Does something on the server. @param what says what it did */
async function attempt(what: () => Promise<string>) {
  trouble.value = '';
  said.value = '';
  try {
    const words = await what();
    await look();
    said.value = words;
  } catch (error) {
    trouble.value = (error as Error).message;
  }
}
const change = () =>
  attempt(async () => {
    await api.changePassword(old.value, password.value);
    old.value = '';
    password.value = '';
    return 'The password is changed, and everywhere else you are signed out.';
  });
const endOthers = () =>
  attempt(async () => `You are signed out in ${(await api.endOtherSessions()).ended} other places.`);
const make = () =>
  attempt(async () => {
    shown.value = (await api.makeToken({ ...token.value, name: token.value.name.trim() })).token;
    token.value.name = '';
    return '';
  });
const end = ({ id, name }: TokenEntry) =>
  attempt(async () => {
    await api.endToken(id);
    return `The token “${name}” is ended.`;
  });
</script>

<template>
  <main class="page">
    <p>
      <router-link to="/topologies" class="brand"><Mark /> vondle</router-link>
    </p>
    <h1>
      {{ session.person?.name }} <span class="mono soft">{{ session.person?.handle }}</span>
    </h1>
    <p v-if="trouble" class="error" role="alert">{{ trouble }}</p>
    <p v-if="said" class="good" role="status">{{ said }}</p>

    <section>
      <h2>Password</h2>
      <form class="inline-form" @submit.prevent="change">
        <label
          >the old one
          <el-input v-model="old" type="password" name="old" autocomplete="current-password" />
        </label>
        <label
          >the new one, 12 characters or more
          <el-input v-model="password" type="password" name="new" autocomplete="new-password" />
        </label>
        <el-button native-type="submit" :disabled="!old || password.length < 12">Change it</el-button>
      </form>
    </section>

    <section>
      <h2>Signed in</h2>
      <ul>
        <li v-for="(each, i) in sessions" :key="i">
          since {{ when.format(new Date(each.openedAt)) }} <b v-if="each.own">here</b>
        </li>
      </ul>
      <el-button v-if="others" @click="endOthers">Sign out everywhere else</el-button>
    </section>

    <section>
      <h2>Tokens for programs</h2>
      <p class="soft">
        With one, a program asks in your name: for one topology, no more than its scope, until its end. The
        <code>vondle</code> command takes it from <code>VONDLE_TOKEN</code>.
        <router-link to="/reference/api">What programs can ask</router-link>
      </p>
      <table v-if="tokens.length" class="listing">
        <tbody>
          <tr v-for="each in tokens" :key="each.id" data-testid="token">
            <th scope="row">{{ each.name }}</th>
            <td>{{ each.topology }}</td>
            <td>{{ each.scope }}</td>
            <td class="soft">
              until {{ day.format(new Date(each.expiresAt)) }},
              {{ each.usedAt ? `used ${when.format(new Date(each.usedAt))}` : 'never used' }}
            </td>
            <td><button class="plain link" @click="end(each)">end it</button></td>
          </tr>
        </tbody>
      </table>
      <form class="inline-form" @submit.prevent="make">
        <label>what it is for <el-input v-model="token.name" name="token" maxlength="80" /></label>
        <label
          >topology
          <select v-model="token.slug">
            <option v-for="each in topologies" :key="each.slug" :value="each.slug">{{ each.name }}</option>
          </select>
        </label>
        <label
          >scope
          <select v-model="token.scope">
            <option v-for="(words, scope) in SCOPES" :key="scope" :value="scope">
              {{ scope }}: {{ words }}
            </option>
          </select>
        </label>
        <label
          >for
          <select v-model.number="token.days">
            <option :value="7">a week</option>
            <option :value="90">90 days</option>
            <option :value="365">a year</option>
          </select>
        </label>
        <el-button native-type="submit" :disabled="!token.name.trim() || !token.slug">Make a token</el-button>
      </form>
      <div v-if="shown" class="shown" role="status">
        <p>Keep it now: it is not shown again.</p>
        <code data-testid="new-token">{{ shown }}</code>
      </div>
    </section>
  </main>
</template>

<style scoped>
h1 {
  margin-top: 12px;
}
.shown {
  padding: 10px 14px;
  background: var(--accent-sheet);
  overflow-wrap: anywhere;
}
</style>
