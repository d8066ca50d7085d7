<script setup lang="ts">
import { useColorScheme } from './stores/color-scheme.ts';

useColorScheme();
</script>

<template>
  <router-view />
</template>
