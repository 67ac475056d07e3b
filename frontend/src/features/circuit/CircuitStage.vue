<script setup lang="ts">
import { computed, ref } from 'vue'
import type { CircuitRecord, StageName } from '@/api/types'
import BenchFrame from '@/features/jobs/BenchFrame.vue'
import CautionStrip from '@/ui/CautionStrip.vue'
import ConflictDialog from '@/ui/ConflictDialog.vue'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import { useCatalogue } from '@/composables/catalogue'
import { useKeys } from '@/composables/keys'
import { useSaving } from '@/composables/saving'
import { useWorkbench } from '@/composables/workbench'
import AddMenu from './AddMenu.vue'
import BranchEditor from './BranchEditor.vue'
import LayoutChooser from './LayoutChooser.vue'
import LoadsEditor from './LoadsEditor.vue'
import ProtectionPanel from './ProtectionPanel.vue'
import SourcesEditor from './SourcesEditor.vue'
import StatePanel from './StatePanel.vue'

const emit = defineEmits<{ go: [stage: StageName] }>()
const bench = useWorkbench()
const { busy, problem: saveProblem, conflict, save: saving } = useSaving()
const trying = ref(false)
const fusing = ref(false)
const { catalogue } = useCatalogue()
const branch = computed(() => bench.circuit?.branches.find((b) => b.id === bench.selected) ?? null)
const labelOf = (id: string) =>
  bench.circuit?.branches.find((b) => b.id === id)?.label ??
  bench.circuit?.nodes.find((n) => n.id === id)?.label ??
  bench.circuit?.batteries.find((b) => b.id === id)?.label ??
  id
const blocked = computed(() => bench.problems.length > 0 || Object.keys(bench.localProblems).length > 0)

async function save(asNewRevision = false): Promise<void> {
  if (!bench.mayWrite || blocked.value || !bench.circuit) return
  await saving(() => bench.saveCircuit(asNewRevision))
}
async function takeTheirs(): Promise<void> {
  const record = conflict.value?.theirs as unknown as CircuitRecord
  conflict.value = null
  await bench.reload(() => bench.takeCircuit(record))
}
function discard(): void {
  bench.takeCircuit(bench.asFound)
}
function step(by: number): void {
  const order = bench.judged?.findings.branches.map((b) => b.branch_id) ?? bench.circuit?.branches.map((b) => b.id) ?? []
  const at = order.indexOf(bench.selected ?? '')
  bench.selected = order[(at + by + order.length) % order.length] ?? null
}
useKeys([
  { key: 't', label: 'try a state: speed, loads, switches, a dead short', run: () => (trying.value = !trying.value) },
  { key: 'f', label: 'fuses and breakers: everything asked of each', run: () => (fusing.value = !fusing.value) },
  { key: 's', label: 'save the circuit', run: () => void save() },
  { key: 'Ctrl+s', label: 'save the circuit, also while typing', run: () => void save(), always: true },
  { key: 'j', label: 'next branch along the loop', run: () => step(1) },
  { key: 'k', label: 'branch before', run: () => step(-1) },
])
</script>

<template>
  <div v-if="!bench.circuit && bench.job" class="choose"><LayoutChooser /></div>
  <BenchFrame v-else>
    <template v-if="bench.circuit">
      <div class="row save">
        <v-btn
          color="primary"
          :disabled="!bench.circuitDirty || blocked || !bench.mayWrite"
          :loading="busy"
          data-test="save-circuit"
          @click="save()"
          >Save circuit</v-btn
        >
        <v-btn v-if="bench.circuitDirty && bench.asFound" variant="text" @click="discard">Undo edits</v-btn>
        <span v-if="!bench.circuitDirty" class="quiet" data-test="circuit-saved">saved, revision {{ bench.asFound?.revision }}</span>
        <v-btn v-if="!trying" variant="outlined" data-test="try-state" @click="trying = true">Try a state</v-btn>
        <v-btn v-if="!fusing" variant="outlined" data-test="show-protection" @click="fusing = true">Fuses</v-btn>
        <v-btn v-if="!bench.circuitDirty" variant="outlined" data-test="to-measure" @click="emit('go', 'measure')">Measure →</v-btn>
      </div>
      <p v-if="bench.circuitDirty && bench.asFound?.frozen" class="quiet ma-0">
        Readings refer to revision {{ bench.asFound.revision }}: saving makes revision {{ bench.asFound.revision + 1 }} and keeps both.
      </p>
      <ul v-if="bench.problems.length" class="wrongs" role="alert">
        <li v-for="problem in bench.problems" :key="problem.element + problem.field">
          <button type="button" @click="bench.selected = problem.element">
            <b>{{ labelOf(problem.element) }}:</b> {{ problem.message }}
          </button>
        </li>
      </ul>
      <ProblemNotice :problem="saveProblem" />
      <ProtectionPanel v-if="fusing" @close="fusing = false" />
      <StatePanel v-if="trying && catalogue" @close="trying = false" />
      <section v-if="branch" class="panel stack">
        <div class="row">
          <h2 class="sleeve">{{ branch.label }}</h2>
          <span class="grow" /><v-btn variant="text" @click="bench.selected = null">All ▴</v-btn>
        </div>
        <BranchEditor :key="branch.id" :branch="branch" />
      </section>
      <section v-else class="panel stack">
        <AddMenu />
        <h2 class="sleeve">Sources</h2>
        <SourcesEditor />
        <h2 class="sleeve">Loads and chargers</h2>
        <LoadsEditor />
        <h2 class="sleeve">Branches</h2>
        <p class="quiet ma-0">Tap a branch here or on the loop to correct it.</p>
        <button v-for="b in bench.circuit.branches" :key="b.id" type="button" class="pick" :data-pick="b.id" @click="bench.selected = b.id">
          <b>{{ b.label }}</b><span class="quiet">{{
            'size' in b ? `${b.size}, ${b.length_m} m` : 'rating_a' in b && b.rating_a ? `${b.rating_a} A` : b.kind
          }}</span>
        </button>
      </section>
      <section v-if="bench.judged?.findings.parts.length" class="panel">
        <h2 class="sleeve">Called out</h2>
        <ul class="found">
          <li
            v-for="finding in bench.judged.findings.parts"
            :key="finding.code + finding.branch_id + finding.why"
            :class="finding.severity"
            :data-finding="finding.code"
          >
            <button type="button" @click="finding.branch_id && (bench.selected = finding.branch_id)">
              <b>{{ finding.title }}.</b> {{ finding.why }} <span class="quiet">{{ finding.rule }} ({{ finding.source }}).</span>
            </button>
          </li>
        </ul>
      </section>
      <CautionStrip step="circuit" :job-id="bench.jobId" />
    </template>
    <ConflictDialog
      :problem="conflict"
      both="Keep both: save mine as the next revision"
      theirs="Take theirs"
      mine-hint="Both can stay, as revisions."
      @keep-both="save(true)"
      @take-theirs="takeTheirs"
      @later="conflict = null"
    />
  </BenchFrame>
</template>

<style scoped>
.choose {
  padding: 12px 16px 40px;
}
.pick {
  display: flex;
  justify-content: space-between;
  gap: 10px;
  min-height: 44px;
  align-items: center;
  border-bottom: 1px solid var(--line);
  text-align: left;
}
.wrongs,
.found {
  list-style: none;
  padding: 0;
  margin: 0;
}
.wrongs button,
.found button {
  text-align: left;
  padding: 8px 10px;
  width: 100%;
  border-left: 8px solid var(--fail);
  background: rgb(var(--v-theme-surface));
  margin-top: 6px;
}
.found .warning button {
  border-left-color: var(--excess);
}
.found .note button {
  border-left-color: var(--close);
}
</style>
