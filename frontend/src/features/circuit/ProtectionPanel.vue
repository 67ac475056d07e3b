<script setup lang="ts">
/** Every fuse, contact and cable with what was asked of it; those with something wrong first. */
import { computed, ref, watch } from 'vue'
import { ApiError, client, data } from '@/api/client'
import type { ProblemDocument, ProtectionReview } from '@/api/types'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import { fixed } from '@/ui/numbers'
import { useWorkbench } from '@/composables/workbench'

const bench = useWorkbench()
const emit = defineEmits<{ close: [] }>()
const review = ref<ProtectionReview | null>(null)
const problem = ref<ProblemDocument | null>(null)
const WORDS = { good: 'sound', watch: 'watch', bad: 'WRONG' } as const
const ASKED: Record<string, string> = {
  load: 'Load below',
  cable: 'Cable above',
  voltage: 'Voltage',
  breaking: 'Can break it',
  withstand: 'Cable lives',
  cranking: 'Cranking',
  inrush: 'Inrush',
  short_use: 'Short use',
  order: 'Opens first',
}

const called = computed(() => review.value?.sources.filter((f) => f.severity !== 'note') ?? [])
const groups = computed(() =>
  [
    {
      title: 'Contacts',
      parts: (review.value?.contacts ?? []).map((c) => ({
        ...c,
        words: `makes ${fixed(c.heat_w, 1)} W of heat at ${fixed(c.current_a, 0)} A`,
      })),
    },
    {
      title: 'Cables',
      parts: (review.value?.conductors ?? []).map((c) => ({
        ...c,
        words: `${c.part}: ${fixed(c.current_a, 0)} A of ${fixed(c.allowed_a, 0)} A`,
      })),
    },
  ].filter((group) => group.parts.length),
)

let latestTurn = 0
watch(
  () => bench.circuit,
  async (circuit) => {
    if (!circuit || bench.problems.length) return
    const turn = ++latestTurn
    try {
      const answer = await data(client.POST('/api/protection', { body: { circuit } }))
      if (turn === latestTurn) [review.value, problem.value] = [answer, null]
    } catch (error) {
      if (!(error instanceof ApiError)) throw error
      if (turn === latestTurn) problem.value = error.problem
    }
  },
  { immediate: true },
)
</script>

<template>
  <section class="panel stack" data-test="protection-panel">
    <div class="row">
      <h2 class="sleeve">Fuses, contacts and cables</h2>
      <span class="grow" /><v-btn variant="text" @click="emit('close')">Close</v-btn>
    </div>
    <ProblemNotice :problem="problem" />
    <p v-if="!review && !problem" class="quiet ma-0">Shorting each of them in turn …</p>
    <p v-if="review && !review.protectors.length" class="ma-0">
      <b>There is none.</b> A battery feeds every fault in this circuit for as long as it lasts.
    </p>
    <article v-for="p in review?.protectors" :key="p.branch_id" class="fuse" :class="p.outcome" :data-protector="p.branch_id">
      <button type="button" class="head" @click="bench.selected = p.branch_id">
        <b>{{ p.label }}</b> <span class="quiet">{{ p.part }}</span><span class="grow" /><b class="say">{{ WORDS[p.outcome] }}</b>
      </button>
      <p class="figures ma-0">
        Dead short behind it: <b>{{ fixed(p.prospective_a, 0) }} A</b>, opens in {{ p.opens }}; breaks up to
        {{ fixed(p.interrupting_a, 0) }} A.
      </p>
      <dl>
        <template v-for="(check, k) in p.checks" :key="k">
          <dt :class="check.outcome">
            <span class="d-sr-only">{{ WORDS[check.outcome] }}: </span
            >{{ check.outcome === 'good' ? '✓' : check.outcome === 'watch' ? '!' : '✗' }} {{ ASKED[check.name] ?? check.name }}
          </dt>
          <dd>
            {{ check.words }}<span v-if="check.outcome !== 'good'" class="quiet">{{ ` ${check.rule} (${check.source}).` }}</span>
          </dd>
        </template>
      </dl>
    </article>
    <article v-for="f in called" :key="f.code + f.branch_id" class="fuse" :class="f.severity === 'danger' ? 'bad' : 'watch'">
      <b>{{ f.title }}</b>
      <p class="ma-0">
        {{ f.why }} <span class="quiet">{{ f.rule }} ({{ f.source }}).</span>
      </p>
    </article>
    <template v-for="group in groups" :key="group.title">
      <h3>{{ group.title }}</h3>
      <article v-for="c in group.parts" :key="c.branch_id" class="fuse" :class="c.outcome" :data-contact="c.branch_id">
        <button type="button" class="head" @click="bench.selected = c.branch_id">
          <b>{{ c.label }}</b> <span class="quiet">{{ c.words }}</span><span class="grow" /><b class="say">{{ WORDS[c.outcome] }}</b>
        </button>
        <dl>
          <template v-for="(check, k) in c.checks" :key="k">
            <dt :class="check.outcome">
              <span class="d-sr-only">{{ WORDS[check.outcome] }}: </span
              >{{ check.outcome === 'good' ? '✓' : check.outcome === 'watch' ? '!' : '✗' }}
              {{ check.name === 'load' ? 'For good' : (ASKED[check.name] ?? check.name) }}
            </dt>
            <dd>
              {{ check.words }}<span v-if="check.outcome !== 'good'" class="quiet">{{ ` ${check.rule} (${check.source}).` }}</span>
            </dd>
          </template>
        </dl>
      </article>
    </template>
    <p class="quiet ma-0">
      Times are bands of the fuse family. The sheet of the fuse in your hand, the maker's figures and the local code win over them.
    </p>
  </section>
</template>

<style scoped>
.fuse {
  border-left: 8px solid var(--pass);
  padding: 4px 0 4px 10px;
}
.fuse.watch {
  border-left: 8px dashed var(--excess);
}
.fuse.bad {
  border-left: 8px double var(--fail);
}
.head {
  display: flex;
  gap: 8px;
  min-height: 44px;
  align-items: center;
  width: 100%;
  text-align: left;
}
.bad .say,
dt.bad {
  color: var(--fail);
}
.watch .say,
dt.watch {
  color: var(--excess);
}
dl {
  display: grid;
  grid-template-columns: 7.5em 1fr;
  gap: 4px 8px;
  margin: 6px 0 0;
}
dt {
  font-weight: 700;
}
dd {
  margin: 0;
}
</style>
