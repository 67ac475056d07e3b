<template>
  <div class="pa-6 stack">
    <h1 class="sleeve">Nothing here</h1>
    <p>This address leads nowhere, like a cable with one end. <router-link to="/">All jobs</router-link></p>
  </div>
</template>
