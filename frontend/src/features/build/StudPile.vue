<script setup lang="ts">
/** What lies on one side of a stud: nut above, foot below, as it lies, and what is beside it. */
import { computed } from 'vue'
import type { PointsView } from '@/api/types'
import { asWritten, fixed } from '@/ui/numbers'

type Point = PointsView['points'][number]
const props = defineProps<{
  landings: Point['landings']
  /** Where the stud goes through a panel: what a part is asked to do. */
  move?: string
  disabled?: boolean
}>()
const emit = defineEmits<{ move: [part: string] }>()
const stack = computed(() => props.landings.filter((x) => x.place !== null).reverse())
const beside = computed(() => props.landings.filter((x) => x.place === null))
</script>

<template>
  <div v-if="stack.length > 0" class="pile">
    <span v-if="stack.length > 1" class="quiet">nut</span>
    <span v-for="(x, k) in stack" :key="k" class="lug"
      ><span
        >{{ x.label }}
        <span class="quiet"
          >{{ asWritten(x.what) }}<template v-if="x.current_a !== null">, {{ fixed(x.current_a, 0) }} A</template></span
        ></span
      ><v-btn
        v-if="move && !disabled"
        variant="text"
        size="small"
        class="turn"
        :aria-label="`${x.label}: ${move}`"
        :data-move="x.part_id"
        @click="emit('move', x.part_id)"
        >⇄</v-btn
      ></span
    >
    <span v-if="stack.length > 1" class="quiet">foot</span>
  </div>
  <p v-if="beside.length > 0" class="quiet ma-0">
    Beside it: {{ beside.map((x) => x.label).join(', ')
    }}<template v-if="move && !disabled"
      ><v-btn
        v-for="x in beside"
        :key="x.part_id"
        variant="text"
        class="turn"
        :aria-label="`${x.label}: ${move}`"
        :data-move="x.part_id"
        @click="emit('move', x.part_id)"
        >⇄ {{ x.label }}</v-btn
      ></template
    >
  </p>
</template>

<style scoped>
.pile {
  display: grid;
  margin: 4px 0;
  border-left: 6px solid var(--line);
  padding-left: 8px;
}
.lug {
  border: 1px solid var(--line);
  padding: 3px 8px;
  display: flex;
  justify-content: space-between;
  align-items: center;
}
.lug + .lug {
  border-top: 0;
}
.turn {
  min-width: 44px;
  min-height: 44px;
}
</style>
