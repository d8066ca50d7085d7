import { useDark } from '@vueuse/core';
import { defineStore } from 'pinia';

/** Light or dark; begins as the system has it and is remembered. */
export const useLook = defineStore('look', () => {
  const dark = useDark();
  return { dark };
});
