<script setup lang="ts">
import { computed } from 'vue'
import type { ViewContent } from '../../api/client'
import { counted, count, extent } from '../../model/words'

const { content } = defineProps<{ content: ViewContent }>()
const lists = computed(
  () =>
    [
      ['Materials', counted(content.facts.materials)],
      ['Textures', counted(content.facts.textures)],
      ['Clips', counted(content.facts.clips.map((clip) => clip.name))],
      ['Variants', counted(content.facts.variants)],
    ] as const,
)
</script>

<template>
  <section class="border-t border-line p-4" aria-label="Facts">
    <h2 class="heading mb-2">Facts</h2>
    <dl class="grid grid-cols-[72px_minmax(0,1fr)] gap-y-1 text-[13px]">
      <dt class="text-faint">Triangles</dt>
      <dd class="num text-right" data-test="triangles">{{ count(content.facts.triangles) }}</dd>
      <dt class="text-faint">Vertices</dt>
      <dd class="num text-right">{{ count(content.facts.vertices) }}</dd>
      <dt class="text-faint">Size</dt>
      <dd class="num text-right" title="width × height × depth">{{ extent(content.facts.size) }}</dd>
      <template v-if="content.facts.joints">
        <dt class="text-faint">Joints</dt>
        <dd class="num text-right">{{ content.facts.joints }}</dd>
      </template>
      <template v-for="[title, names] in lists" :key="title">
        <template v-if="names.length">
          <dt class="text-faint">{{ title }}</dt>
          <dd class="text-right [overflow-wrap:anywhere]">
            <details v-if="names.length > 3" class="text-right">
              <summary class="num cursor-pointer">{{ names.length }}</summary>
              <ul>
                <li v-for="name in names" :key="name">{{ name }}</li>
              </ul>
            </details>
            <template v-else>{{ names.join(', ') }}</template>
          </dd>
        </template>
      </template>
    </dl>
    <p v-if="content.conventions" class="mt-3 text-[12.5px] text-faint">
      Read as {{ content.conventions }}; shown in metres, Y up.
    </p>
  </section>
</template>
