import { defineStore } from 'pinia';
import { ref } from 'vue';
import { api, type Person } from '../api.ts';

/** Who is signed in. */
export const useSession = defineStore('session', () => {
  const person = ref<Person>();
  let asked: Promise<void> | undefined;

  /** Asks the server once whether somebody is signed in. */
  function ready(): Promise<void> {
    asked ??= api.me().then(
      (me) => void (person.value = me),
      () => undefined,
    );
    return asked;
  }
  async function signIn(handle: string, password: string): Promise<void> {
    person.value = await api.signIn(handle, password);
  }
  async function signOut(): Promise<void> {
    await api.signOut();
    person.value = undefined;
  }
  return { person, ready, signIn, signOut };
});
