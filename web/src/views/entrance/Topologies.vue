<script setup lang="ts">
import { ElButton, ElInput } from 'element-plus';
import { onMounted, ref } from 'vue';
import { useRouter } from 'vue-router';
import { api, type TopologyEntry } from '../../api.ts';
import Mark from '../../parts/Mark.vue';
import { useSession } from '../../stores/session.ts';

const session = useSession();
const router = useRouter();
const topologies = ref<TopologyEntry[]>();
const name = ref('');
const trouble = ref('');

onMounted(async () => {
  try {
    topologies.value = await api.topologies();
  } catch (error) {
    trouble.value = (error as Error).message;
  }
});

async function create() {
  trouble.value = '';
  try {
    const { slug } = await api.createTopology(name.value);
    await router.push(`/t/${slug}/declare`);
  } catch (error) {
    trouble.value = (error as Error).message;
  }
}

async function signOut() {
  await session.signOut();
  await router.push('/sign-in');
}
</script>

<template>
  <header class="bar">
    <span class="name"><Mark /> vondle</span>
    <span class="soft"
      >{{ session.person?.name }} <button class="plain link" @click="signOut">sign out</button></span
    >
  </header>
  <main>
    <h1>Topologies</h1>
    <p v-if="trouble" class="error" role="alert">{{ trouble }}</p>
    <p v-if="topologies?.length === 0" class="soft">There is none yet that you belong to. Begin one below.</p>
    <ul>
      <li v-for="topology in topologies" :key="topology.slug">
        <router-link :to="`/t/${topology.slug}/fan-out`">{{ topology.name }}</router-link>
        <code class="soft">{{ topology.slug }}</code>
        <span class="soft">{{ topology.role }}</span>
      </li>
    </ul>
    <form @submit.prevent="create">
      <el-input v-model="name" aria-label="name of a new topology" placeholder="name of a new topology" />
      <el-button native-type="submit" :disabled="!name.trim()">Begin</el-button>
    </form>
  </main>
</template>

<style scoped>
.bar {
  display: flex;
  justify-content: space-between;
  padding: 10px 16px;
  border-bottom: 1px solid var(--hairline);
  background: var(--sheet);
}
.name {
  display: flex;
  gap: 8px;
  font-weight: 600;
  font-size: 16px;
}
.link {
  color: var(--accent);
  text-decoration: underline;
  margin-left: 8px;
}
main {
  max-width: 640px;
  margin: 40px auto;
  display: grid;
  gap: 18px;
}
h1 {
  font-size: 20px;
}
li {
  display: grid;
  grid-template-columns: 1fr auto 80px;
  gap: 16px;
  padding: 10px 0;
  border-bottom: 1px solid var(--hairline);
}
li a {
  font-weight: 600;
}
form {
  display: flex;
  gap: 8px;
}
</style>
