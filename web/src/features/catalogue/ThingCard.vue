<script setup lang="ts">
import type { Card } from '../../api/client'

defineProps<{ card: Card | undefined }>()
const emit = defineEmits<{ open: [card: Card]; files: [card: Card]; take: [card: Card] }>()
</script>

<template>
  <article
    v-if="card"
    class="flex h-full flex-col overflow-hidden rounded-xl border border-line bg-sheet"
    data-test="card"
    :data-code="card.code"
  >
    <div class="flex h-40 shrink-0 items-center justify-center bg-gradient-to-b from-paper to-sunk">
      <img
        v-if="card.picture"
        :src="`/api/blobs/${card.picture}`"
        :alt="`Picture of ${card.name}`"
        class="size-full object-cover object-[50%_25%]"
      />
      <span v-else class="text-[13px] text-faint">no picture</span>
    </div>
    <div class="flex min-h-0 flex-1 flex-col gap-1 border-t border-line p-3">
      <div class="flex items-baseline justify-between gap-2">
        <h2 class="truncate text-[14.5px] font-semibold" :title="card.name">{{ card.name }}</h2>
        <span class="num shrink-0 text-[11.5px] text-faint">{{ card.code }}</span>
      </div>
      <p class="line-clamp-2 text-[12px] text-faint">
        <span class="capitalize">{{ card.group }}</span><template v-for="(paths, part) in card.parts" :key="part"
          ><template v-if="paths.length"
            >, {{ paths.length > 1 ? `${paths.length} ` : '' }}{{ part }}</template
          ></template
        >
      </p>
      <p
        v-if="card.missing.length"
        class="truncate text-[12px] text-marigold"
        :title="`Missing: ${card.missing.join(', ')}`"
        data-test="missing"
      >
        Missing: {{ card.missing.join(', ') }}
      </p>
      <div class="mt-auto flex gap-1.5">
        <button
          v-if="card.bench.length"
          class="button button-main py-1"
          data-test="card-open"
          @click="emit('open', card)"
        >
          Open
        </button>
        <template v-if="Object.values(card.parts).some((paths) => paths.length)">
          <button class="button py-1" @click="emit('files', card)">Files</button>
          <button class="button py-1" data-test="card-take" @click="emit('take', card)">Take</button>
        </template>
      </div>
    </div>
  </article>
  <div v-else class="rounded-xl border border-line bg-sheet/60" />
</template>
