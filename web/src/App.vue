<script setup lang="ts">
import { useLook } from './stores/look.ts';

useLook();
</script>

<template>
  <router-view />
</template>
