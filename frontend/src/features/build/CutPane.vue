<script setup lang="ts">
/** What is cut from which reel or offcut, size by size. */
import type { Bill, BuildView } from '@/api/types'
import { asWritten, fixed } from '@/ui/numbers'
import { cutGroups } from './book'

defineProps<{ cables: BuildView['cables']; bill: Bill | null }>()
</script>

<template>
  <p v-if="cables.length === 0" class="quiet">No cable is cut.</p>
  <div v-for="c in cables" :key="c.size" class="cable" :data-cable="c.size">
    <h3>
      {{ asWritten(c.size) }}, <span class="figure">{{ fixed(c.total_mm / 1000, 2) }} m</span>
    </h3>
    <section v-for="g in cutGroups(c, bill)" :key="g.piece ?? 'done'" :data-from="g.piece ?? 'done'">
      <h4>{{ g.piece === null ? '✓ Cut already' : g.piece === '' ? 'To buy, in one length' : `Reel ${g.piece}` }}</h4>
      <ol>
        <li v-for="cut in g.cuts" :key="cut.key">
          <b class="figure">{{ fixed(cut.mm, 0) }} mm</b> {{ cut.label
          }}<span v-if="cut.scrap_mm > 0" class="quiet">; the rest, {{ fixed(cut.scrap_mm, 0) }} mm, is scrap</span>
        </li>
      </ol>
    </section>
  </div>
</template>

<style scoped>
.cable h3 {
  margin: 8px 0 2px;
}
h4 {
  margin: 6px 0 0;
  font-size: 0.95rem;
}
ol {
  list-style: none;
  padding-left: 12px;
  border-left: 4px solid var(--line);
}
li {
  padding: 2px 0;
}
</style>
