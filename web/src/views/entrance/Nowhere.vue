<template>
  <main>
    <h1>Nothing is here</h1>
    <p>
      This address leads nowhere. <router-link to="/topologies">See the topologies</router-link> you belong
      to.
    </p>
  </main>
</template>

<style scoped>
main {
  max-width: 480px;
  margin: 80px auto;
  display: grid;
  gap: 8px;
}
</style>
