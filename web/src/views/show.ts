import type { Router } from 'vue-router';
import type { Spot } from '../workers/views.ts';

/** Goes to a place in the text. */
export function showInText(router: Router, spot: Spot): void {
  const { params, query } = router.currentRoute.value;
  const at = `${spot.start}-${spot.end}`;
  void router.push({ name: 'declare', params, query: { ...query, doc: spot.doc, at } });
}
