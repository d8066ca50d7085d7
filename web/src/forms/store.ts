/** Which form is open, and what it begins with: forms are opened from wherever somebody looks at a thing. */
import type { FormKind, Given } from '@vondle/core/assist/forms';
import { defineStore } from 'pinia';
import { shallowRef } from 'vue';

/** A form as it is opened. */
export interface Opening {
  readonly kind: FormKind;
  /** The broker or app that it is declared on. */
  readonly on?: string;
  readonly name?: string;
  readonly given?: Readonly<Record<string, Given>>;
}

export const useForms = defineStore('forms', () => {
  const opening = shallowRef<Opening>();
  return {
    opening,
    open: (form: Opening) => (opening.value = form),
    close: () => (opening.value = undefined),
  };
});

/** What there are forms for, in groups as people look for them. */
export const GROUPS: readonly { readonly title: string; readonly kinds: readonly FormKind[] }[] = [
  { title: 'who sends and takes', kinds: ['message', 'app', 'publish', 'take'] },
  { title: 'on a broker', kinds: ['exchange', 'queue', 'binding', 'topic', 'subscription', 'alias'] },
  { title: 'between brokers', kinds: ['broker', 'link', 'spread'] },
  {
    title: 'around it',
    kinds: ['permission', 'expectation', 'alert', 'tap', 'tenant', 'environment', 'parameter'],
  },
];
