<template>
  <svg viewBox="0 0 24 24" width="20" height="20" aria-hidden="true">
    <path d="M2 12h7M9 12c5 0 5-7 12-7M9 12h12M9 12c5 0 5 7 12 7" />
  </svg>
</template>

<style scoped>
path {
  fill: none;
  stroke: var(--accent);
  stroke-width: 2.2;
  stroke-linecap: round;
}
</style>
