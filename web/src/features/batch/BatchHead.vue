<script setup lang="ts">
import { ref } from 'vue'
import { api, type Batch, type BatchWhole, type RuleName, type StepKind } from '../../api/client'
import MoreMenu from '../../components/MoreMenu.vue'
import NameForm from '../../components/NameForm.vue'
import Question from '../../components/Question.vue'
import { ended, ruleWords, standing, total } from '../../model/rules'
import { count } from '../../model/words'
import RunSheet from './RunSheet.vue'

const { batch, kinds } = defineProps<{ batch: BatchWhole; kinds: StepKind[]; rules: RuleName[] }>()
const emit = defineEmits<{ error: [problem: unknown]; go: [batch: string]; gone: [] }>()
const asking = ref<'name' | 'remove' | 'run' | null>(null)
const title = (step: string) => kinds.find((kind) => kind.name === step)?.title ?? step

async function attempt(work: () => Promise<unknown>) {
  asking.value = null
  try {
    await work()
  } catch (problem) {
    emit('error', problem)
  }
}
const again = () => attempt(async () => emit('go', (await api.runBatchAgain(batch.id, { dry: batch.dry })).id))
const started = (made: Batch) => {
  asking.value = null
  emit('go', made.id)
}
const acts = [
  { words: 'Run it again, compared', run: again, test: 'again' },
  { words: 'Rename…', run: () => (asking.value = 'name'), test: 'rename' },
  { words: 'Remove…', run: () => (asking.value = 'remove'), grave: true, test: 'remove' },
]
const failed = () => batch.counts.failed ?? 0
</script>

<template>
  <header class="shrink-0 border-b border-line bg-sheet px-6 py-4">
    <div class="flex items-center gap-2">
      <div class="min-w-0 flex-1">
        <h1 class="truncate text-[20px] font-semibold tracking-tight">{{ batch.name }}</h1>
        <p class="text-[13px] text-faint" role="status" data-test="standing">
          <span class="font-medium" :class="batch.dry ? '' : 'text-sea'">
            {{
              batch.dry ? 'Dry run, nothing was changed' : batch.delivers ? 'Kept and delivered' : 'Kept on the Bench'
            }}</span>: {{ standing(batch) }}
        </p>
      </div>
      <button v-if="batch.working" class="button" data-test="stop" @click="attempt(() => api.stopBatch(batch.id))">
        Stop
      </button>
      <button
        v-else-if="ended(batch) < total(batch)"
        class="button button-main"
        data-test="go-on"
        @click="attempt(() => api.goOnWithBatch(batch.id))"
      >
        Go on
      </button>
      <button
        v-if="failed() && !batch.working"
        class="button"
        data-test="retry"
        @click="attempt(() => api.retryBatch(batch.id))"
      >
        Try the {{ count(failed()) }} that failed again
      </button>
      <button
        v-if="batch.dry && !batch.working"
        class="button button-main"
        data-test="for-real"
        @click="asking = 'run'"
      >
        Run it for real…
      </button>
      <a class="button" :href="`/api/batches/${batch.id}`" :download="`${batch.name}.json`">Report</a>
      <MoreMenu label="More about this batch" :acts="acts" />
    </div>
    <div class="mt-3 h-1.5 overflow-hidden rounded-full bg-sunk" aria-hidden="true">
      <div
        class="h-full bg-sea transition-[width]"
        :style="{ width: `${(100 * ended(batch)) / (total(batch) || 1)}%` }"
      />
    </div>
    <ol class="mt-3 flex flex-wrap gap-x-1.5 gap-y-1 text-[12.5px]" aria-label="Steps of the recipe">
      <li
        v-for="(use, i) in batch.steps"
        :key="i"
        class="max-w-80 truncate rounded-md bg-sunk px-2 py-0.5"
        :class="{ 'opacity-50': !use.on }"
      >
        <span class="num text-faint">{{ i + 1 }}</span> <span class="font-medium">{{ title(use.step) }}</span>
        <span v-if="use.rule" class="text-faint"> · {{ ruleWords(use.rule, rules) }}</span>
      </li>
    </ol>
    <RunSheet v-if="asking === 'run'" :batch="batch" @close="asking = null" @started="started" />
    <NameForm
      v-if="asking === 'name'"
      title="Rename this batch"
      :name="batch.name"
      @close="asking = null"
      @named="(name) => attempt(() => api.renameBatch(batch.id, name))"
    />
    <Question
      v-if="asking === 'remove'"
      :title="`Remove the batch ${batch.name}?`"
      act="Remove it"
      @close="asking = null"
      @yes="attempt(() => api.removeBatch(batch.id).then(() => emit('gone')))"
    >
      Its list of results goes. Workpieces keep their steps, and what was delivered stays.
    </Question>
  </header>
</template>
