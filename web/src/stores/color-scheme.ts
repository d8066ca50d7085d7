import { useDark } from '@vueuse/core';
import { defineStore } from 'pinia';

/** Light or dark; begins as the system has it and is remembered. */
export const useColorScheme = defineStore('color-scheme', () => {
  const dark = useDark();
  return { dark };
});
