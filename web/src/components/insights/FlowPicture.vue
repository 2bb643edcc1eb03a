<script setup lang="ts">
/** Where mail went: bands from what it came to, to where it lies. */
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'

import type { Insights } from '@/api/client'
import { flowShape, type Band } from '@/insights/flow-shape'
import { findAddress } from '@/mail/find-address'
import { countSaying } from '@/rules/sayings'

const props = defineProps<{ mail: Insights }>()
const router = useRouter()

const box = ref<HTMLElement>()
const { width } = useElementSize(box)
/** Room for the names on either side; where it is small they stand on two lines. */
const SMALL = 560
const small = computed(() => width.value < SMALL)
const names = computed(() => Math.round(Math.min(190, width.value * (small.value ? 0.36 : 0.26))))
const room = computed(() => (small.value ? 44 : 22))
const BLOCK = 6
const shape = computed(() =>
  flowShape(
    props.mail,
    names.value + BLOCK,
    Math.max(names.value + 40, width.value - names.value - BLOCK),
    room.value,
  ),
)

const ends = computed(() => [
  ...shape.value.sources.map((block) => ({ side: 'from' as const, block })),
  ...shape.value.places.map((block) => ({ side: 'to' as const, block })),
])

function bandSaying({ source, place, messages, rules }: Band): string {
  const [from, to] = [props.mail.sources[source], props.mail.places[place]]
  const by = rules.map((rule) => `${rule.name} ${rule.messages.toLocaleString('en-GB')}`)
  const taken = by.length ? `; taken by ${by.join(', ')}` : ''
  return `${from?.name ?? ''}, in ${to?.name ?? ''}: ${countSaying(messages, 'message')}${taken}`
}

/** The band under the pointer or the focus is told below the picture. */
const shown = ref<Band>()
/** One of the bands is reached by Tab, the others by the arrows. */
const reached = ref(0)
const bands = ref<SVGElement[]>([])
function step(by: number): void {
  const count = bands.value.length
  reached.value = (reached.value + by + count) % count
  bands.value[reached.value]?.focus()
}
</script>

<template>
  <div ref="box" class="flow">
    <p class="heads" aria-hidden="true"><span>came to, came as</span><span>lies in</span></p>
    <div v-if="width" class="drawn" :style="{ height: `${shape.height}px` }">
      <svg
        role="group"
        aria-label="Bands of mail; arrow keys go from one to the next, Enter lists its mail"
        :width="width"
        :height="shape.height"
      >
        <rect
          v-for="placed in ends"
          :key="`${placed.side} ${placed.block.end.name}`"
          :x="placed.side === 'from' ? names : width - names - BLOCK"
          :y="placed.block.y"
          :width="BLOCK"
          :height="placed.block.height"
        />
        <a
          v-for="(ribbon, at) in shape.ribbons"
          :key="`${ribbon.band.source} ${ribbon.band.place}`"
          ref="bands"
          :href="findAddress(ribbon.band.search)"
          :tabindex="at === reached ? 0 : -1"
          :aria-label="bandSaying(ribbon.band)"
          @click.prevent="router.push(findAddress(ribbon.band.search))"
          @focus="((shown = ribbon.band), (reached = at))"
          @pointerenter="shown = ribbon.band"
          @keydown.down.prevent="step(1)"
          @keydown.up.prevent="step(-1)"
          @keydown.right.prevent="step(1)"
          @keydown.left.prevent="step(-1)"
        >
          <path
            :d="ribbon.path"
            :class="{ shown: shown === ribbon.band }"
            :style="{ fill: `var(--${ribbon.colour})` }"
          />
        </a>
      </svg>
      <RouterLink
        v-for="placed in ends"
        :key="`name ${placed.side} ${placed.block.end.name}`"
        class="name"
        :to="findAddress(placed.block.end.search)"
        :title="placed.block.end.name"
        :class="[placed.side, { small }]"
        :style="{
          top: `${placed.block.middle - room / 2}px`,
          width: `${names - 8}px`,
          height: `${room}px`,
        }"
        ><span :class="{ 'one-line': !small }">{{ placed.block.end.name }}</span>
        <b>{{ placed.block.end.messages.toLocaleString('en-GB') }}</b></RouterLink
      >
    </div>
    <p class="band">
      {{ shown ? bandSaying(shown) : 'Press a band, and Mail shows just its mail.' }}
    </p>
  </div>
</template>

<style scoped>
.heads {
  display: flex;
  justify-content: space-between;
  margin-bottom: 6px;
  font-size: 12px;
  color: var(--ink-soft);
}

.drawn {
  position: relative;
}

svg {
  display: block;
}

rect {
  fill: var(--ink-soft);
}

path {
  fill-opacity: 0.36;
}

path.shown,
a:hover path {
  fill-opacity: 0.75;
}

a:focus-visible {
  outline: none;
}

a:focus-visible path {
  fill-opacity: 0.85;
  stroke: var(--ink);
  stroke-width: 2;
}

.name {
  position: absolute;
  display: flex;
  gap: 6px;
  align-items: center;
  color: var(--ink);
  text-decoration: none;
}

.name.small {
  font-size: 13px;
  line-height: 16px;
  overflow-wrap: anywhere;
}

.name:hover span {
  text-decoration: underline;
}

.name b {
  flex: none;
  font-weight: 400;
  color: var(--ink-soft);
}

.from {
  left: 0;
  justify-content: flex-end;
}

.to {
  right: 0;
}

.band {
  min-height: 40px;
  margin-top: 8px;
  color: var(--ink-soft);
}
</style>
