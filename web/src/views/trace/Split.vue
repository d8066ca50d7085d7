<script setup lang="ts">
import type { Plotly } from 'plotly.js-basic-dist-min';
import { onBeforeUnmount, onMounted, ref, watch } from 'vue';
import { useColorScheme } from '../../stores/color-scheme.ts';
import type { ManyView } from '../../workers/views.ts';

/** How many messages are split over stores, and over the members of spreads, as charts. */
const props = defineProps<{ so: ManyView }>();
const colorScheme = useColorScheme();
const host = ref<HTMLElement>();
let plotly: Plotly | undefined;
const MOST_BARS = 24;

const colour = (name: string) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();

async function draw() {
  // a megabyte that nobody needs before there is something to chart
  plotly ??= (await import('plotly.js-basic-dist-min')).default;
  if (!host.value) return;
  const stores = props.so.stores.slice(0, MOST_BARS).reverse();
  const spreads = props.so.spreads;
  const bar = { type: 'bar', orientation: 'h', textposition: 'auto', cliponaxis: false } as const;
  const font = { family: '"Source Sans 3", sans-serif', size: 12.5, color: colour('--ink') };
  const shades = [colour('--accent'), colour('--edge'), colour('--accent-sheet'), colour('--band')];
  const inSpreads = spreads.flatMap(({ spread, members }) =>
    members.map(({ store, count }, i) => ({
      ...bar,
      name: store,
      x: [count],
      y: [spread],
      text: [`${store}: ${count.toLocaleString('en')}`],
      xaxis: 'x2',
      yaxis: 'y2',
      hovertemplate: '%{text}<extra></extra>',
      marker: { color: shades[i % shades.length], line: { color: colour('--ink'), width: 1 } },
    })),
  );
  const below = spreads.length ? Math.min(0.4, 0.08 + spreads.length * 0.08) : 0;
  const axis = { fixedrange: true, gridcolor: colour('--hairline'), zeroline: false, automargin: true };
  await plotly.react(
    host.value,
    [
      {
        ...bar,
        name: 'copies',
        x: stores.map(({ copies }) => copies),
        y: stores.map(({ store }) => store),
        text: stores.map(({ copies }) => copies.toLocaleString('en')),
        hovertemplate: '%{y}: %{x} copies<extra></extra>',
        marker: { color: colour('--accent') },
      },
      ...inSpreads,
    ],
    {
      barmode: 'stack',
      font,
      showlegend: false,
      paper_bgcolor: 'rgba(0,0,0,0)',
      plot_bgcolor: 'rgba(0,0,0,0)',
      margin: { l: 10, r: 16, t: 8, b: 34 },
      height: Math.max(160, 60 + stores.length * 24 + spreads.length * 60),
      xaxis: { ...axis, title: { text: 'copies', font } },
      yaxis: { ...axis, domain: [below + (below ? 0.14 : 0), 1] },
      ...(below
        ? {
            xaxis2: { ...axis, anchor: 'y2', title: { text: 'messages by spread', font } },
            yaxis2: { ...axis, anchor: 'x2', domain: [0, below] },
          }
        : {}),
    },
    { displayModeBar: false, responsive: true },
  );
}
onMounted(draw);
watch([() => props.so, () => colorScheme.dark], () => void draw(), { flush: 'post' });
onBeforeUnmount(() => host.value && plotly?.purge(host.value));
</script>

<template>
  <figure class="split">
    <figcaption class="visually-hidden">
      copies by store:
      {{ so.stores.map(({ store, copies }) => `${store} ${copies}`).join(', ') }}
    </figcaption>
    <div ref="host" data-testid="split" aria-hidden="true" />
    <p v-if="so.stores.length > MOST_BARS" class="soft">
      The {{ MOST_BARS }} stores with most copies; {{ so.stores.length - MOST_BARS }} more have fewer.
    </p>
  </figure>
</template>

<style scoped>
.split {
  margin: 0;
  min-width: 0;
}
</style>
