<script setup lang="ts">
import type { ViewContent } from '../../api/client'
import { count, length } from '../../model/words'

defineProps<{ content: ViewContent }>()
</script>

<template>
  <section class="border-t border-line p-4">
    <h2 class="heading mb-2">Facts</h2>
    <dl class="grid grid-cols-[66px_1fr] gap-y-1 text-[13px]">
      <dt class="text-faint">Triangles</dt>
      <dd class="num text-right" data-test="triangles">{{ count(content.facts.triangles) }}</dd>
      <dt class="text-faint">Vertices</dt>
      <dd class="num text-right">{{ count(content.facts.vertices) }}</dd>
      <dt class="text-faint">Size</dt>
      <dd class="num text-right whitespace-nowrap" title="width × height × depth">{{ content.facts.size.map(length).join(' × ') }}</dd>
      <dt class="text-faint">Materials</dt>
      <dd class="text-right break-words">{{ content.facts.materials.join(', ') || 'none' }}</dd>
      <dt class="text-faint">Textures</dt>
      <dd class="num text-right">{{ content.facts.textures.length }}</dd>
      <template v-if="content.facts.joints">
        <dt class="text-faint">Joints</dt>
        <dd class="num text-right">{{ content.facts.joints }}</dd>
      </template>
      <template v-if="content.facts.clips.length">
        <dt class="text-faint">Clips</dt>
        <dd class="text-right">{{ content.facts.clips.join(', ') }}</dd>
      </template>
    </dl>
    <p v-if="content.conventions" class="mt-3 text-[12px] text-faint">Read as {{ content.conventions }}; shown in metres, Y up.</p>
  </section>
</template>
