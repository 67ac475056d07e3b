<script setup lang="ts">
import { activeKeys } from '@/composables/keys'

const open = defineModel<boolean>({ required: true })
</script>

<template>
  <v-dialog v-model="open" max-width="460">
    <div class="panel">
      <h2 class="sleeve">Keys on this screen</h2>
      <v-table class="figures mt-2">
        <tbody>
          <tr v-for="key in activeKeys" :key="key.key + key.label">
            <td>
              <kbd>{{ key.key }}</kbd>
            </td>
            <td>{{ key.label }}</td>
          </tr>
          <tr>
            <td><kbd>Enter</kbd></td>
            <td>next field while measuring</td>
          </tr>
          <tr>
            <td><kbd>Tab</kbd></td>
            <td>from part to part, also along the loop</td>
          </tr>
        </tbody>
      </v-table>
      <v-btn class="mt-3" color="primary" @click="open = false">Close</v-btn>
    </div>
  </v-dialog>
</template>

<style scoped>
kbd {
  font-family: var(--mono);
  border: 1px solid currentColor;
  border-radius: 3px;
  padding: 1px 7px;
}
</style>
