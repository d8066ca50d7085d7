<script setup lang="ts">
import { ElButton, ElInput } from 'element-plus';
import { onMounted, ref, shallowRef } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { api, type InvitedTo } from '../../api.ts';
import Mark from '../../parts/Mark.vue';
import { useSession } from '../../stores/session.ts';

/** What an invitation's link leads to: who has an account joins, who has none makes one. */
const session = useSession();
const route = useRoute();
const router = useRouter();
const key = String(route.params.key);
const invited = shallowRef<InvitedTo>();
const trouble = ref('');
const busy = ref(false);
const account = ref({ handle: '', name: '', password: '' });

onMounted(async () => {
  try {
    invited.value = await api.invitation(key);
  } catch (error) {
    trouble.value = (error as Error).message;
  }
});
async function go(enter: () => Promise<{ slug: string }>) {
  busy.value = true;
  trouble.value = '';
  try {
    const { slug } = await enter();
    await router.replace(`/t/${slug}/fan-out`);
  } catch (error) {
    trouble.value = (error as Error).message;
  } finally {
    busy.value = false;
  }
}
const join = () => go(() => api.join(key));
const joinAnew = () =>
  go(async () => {
    const { slug, handle, name } = await api.joinAnew(key, account.value);
    session.person = { handle, name };
    return { slug };
  });
</script>

<template>
  <main class="join">
    <div>
      <h1><Mark /> vondle</h1>
      <p v-if="trouble" class="error" role="alert">{{ trouble }}</p>
      <template v-if="invited">
        <p>
          {{ invited.by }} invites you to <b>{{ invited.topology }}</b>, as {{ invited.role }}.
        </p>
        <template v-if="session.person">
          <el-button type="primary" :loading="busy" @click="join"
            >Join as {{ session.person.name }}</el-button
          >
        </template>
        <form v-else @submit.prevent="joinAnew">
          <label>Your name, as others read it <el-input v-model="account.name" name="name" /></label>
          <label
            >What you sign in with: small letters, digits, hyphens
            <el-input v-model="account.handle" name="handle" autocomplete="username" />
          </label>
          <label
            >A password, 12 characters or more
            <el-input
              v-model="account.password"
              name="password"
              type="password"
              autocomplete="new-password"
              show-password
            />
          </label>
          <el-button
            type="primary"
            native-type="submit"
            :loading="busy"
            :disabled="!account.name.trim() || !account.handle || account.password.length < 12"
            >Make an account and join</el-button
          >
          <p class="soft">
            You have one already?
            <router-link :to="{ name: 'sign-in', query: { then: route.fullPath } }">Sign in</router-link>
          </p>
        </form>
      </template>
      <p v-else-if="!trouble" class="soft">reading the invitation …</p>
    </div>
  </main>
</template>

<style scoped>
.join {
  min-height: 100%;
  display: grid;
  place-items: center;
}
.join > div,
form {
  width: 340px;
  display: grid;
  gap: 14px;
}
h1 {
  display: flex;
  align-items: center;
  gap: 8px;
  font-size: 22px;
  font-weight: 600;
}
label {
  display: grid;
  gap: 4px;
}
</style>
