<script setup lang="ts">
import { ElButton, ElInput } from 'element-plus';
import { computed, onMounted, ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { api } from '../../api.ts';
import Mark from '../../parts/Mark.vue';
import { useSession } from '../../stores/session.ts';

const session = useSession();
const router = useRouter();
const route = useRoute();
const handle = ref('');
const password = ref('');
const TROUBLE: Readonly<Record<string, string>> = {
  issuer: 'It cannot be asked who you are at the moment; try again.',
  'not-let-in': 'You were not let in: signing in took too long, or was not begun here. Try again.',
};
const trouble = ref(TROUBLE[String(route.query.trouble)] ?? '');
/** Somebody else by whose word one may sign in. */
const issuer = ref<string | null>(null);
const byIssuer = computed(() => {
  const { then } = route.query;
  return `/api/session/oidc${typeof then === 'string' ? `?then=${encodeURIComponent(then)}` : ''}`;
});
onMounted(async () => {
  issuer.value = (await api.waysToSignIn().catch(() => ({ issuer: null }))).issuer;
});
const busy = ref(false);

async function enter() {
  busy.value = true;
  trouble.value = '';
  try {
    await session.signIn(handle.value.trim(), password.value);
    const then = route.query.then;
    await router.replace(typeof then === 'string' && /^\/(?!\/)/.test(then) ? then : '/topologies');
  } catch (error) {
    trouble.value = (error as Error).message;
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <main class="entrance">
    <form @submit.prevent="enter">
      <h1><Mark /> vondle</h1>
      <p class="soft">Where would your message go if you sent it now, and why?</p>
      <label>
        Name
        <el-input v-model="handle" name="handle" autocomplete="username" autofocus />
      </label>
      <label>
        Password
        <el-input
          v-model="password"
          name="password"
          type="password"
          autocomplete="current-password"
          show-password
        />
      </label>
      <p v-if="trouble" class="error" role="alert">{{ trouble }}</p>
      <el-button type="primary" native-type="submit" :loading="busy" :disabled="!handle || !password"
        >Sign in</el-button
      >
      <a v-if="issuer" class="issuer" :href="byIssuer" data-testid="issuer">Sign in with {{ issuer }}</a>
    </form>
  </main>
</template>

<style scoped>
.entrance {
  min-height: 100%;
  display: grid;
  place-items: center;
}
form {
  width: 320px;
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
.issuer {
  text-align: center;
}
</style>
