<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue'
import { VueDraggable } from 'vue-draggable-plus'

import type { StoredRule } from '@/api/client'
import { doesSaying } from '@/rules/sayings'
import { ROW, streamOf, WIDTH } from '@/rules/stream'
import { useMailbox } from '@/stores/mailbox'
import { useWorkbench } from '@/stores/workbench'

const mailbox = useMailbox()
const workbench = useWorkbench()

/** A copy that dragging may reorder; the server's answer replaces it. */
const rules = ref<StoredRule[]>([])
watch(
  () => mailbox.rules,
  (found) => {
    rules.value = [...found]
  },
  { immediate: true },
)

const stream = computed(() => streamOf(mailbox.rules, mailbox.line.arrived))
const colours = computed(
  () =>
    new Map(
      mailbox.rules.map((stored) => {
        const label = stored.rule.then.find((action) => action.do === 'label')?.label
        const colour = label ? mailbox.colourOf.get(label.toLowerCase()) : undefined
        return [stored.id, colour ?? 'slate']
      }),
    ),
)

function colour(id: number): string {
  return `var(--${colours.value.get(id) ?? 'slate'})`
}

async function reordered(): Promise<void> {
  await workbench.reorder(rules.value.map((stored) => stored.id))
}

async function move(index: number, by: number): Promise<void> {
  const stored = rules.value[index]
  const to = index + by
  if (!stored || to < 0 || to >= rules.value.length) return
  const order = rules.value.filter((each) => each.id !== stored.id)
  order.splice(to, 0, stored)
  rules.value = order
  await reordered()
  await nextTick()
  document.querySelector<HTMLElement>(`[data-rule="${stored.id}"]`)?.focus()
}
</script>

<template>
  <section class="line" aria-label="The line">
    <header>
      <h2>The line, last 30 days</h2>
      <RouterLink class="new" to="/rules/new" title="New rule (N)">New rule</RouterLink>
    </header>
    <div class="stream">
      <svg :width="WIDTH" :height="stream.height" aria-hidden="true">
        <path :d="stream.trunk" class="trunk" />
        <path
          v-for="branch in stream.branches"
          :key="branch.id"
          :d="branch.path"
          :class="branch.quiet ? 'quiet' : 'branch'"
          :style="branch.quiet ? {} : { fill: colour(branch.id) }"
        />
      </svg>
      <div>
        <VueDraggable
          v-model="rules"
          tag="ol"
          :animation="120"
          aria-label="Rules from top to bottom"
          @end="reordered"
        >
          <li v-for="(stored, index) in rules" :key="stored.id" :style="{ height: `${ROW}px` }">
            <RouterLink
              :to="`/rules/${stored.id}`"
              class="rule"
              :class="{ current: workbench.ruleId === stored.id, off: !stored.rule.enabled }"
              :aria-current="workbench.ruleId === stored.id ? 'true' : undefined"
              :data-rule="stored.id"
              title="Drag, or Alt+Up and Alt+Down, to reorder"
              @keydown.alt.up.prevent="move(index, -1)"
              @keydown.alt.down.prevent="move(index, 1)"
            >
              <span class="name one-line">{{ stored.rule.name }}</span>
              <span class="taken">
                <template v-if="stored.rule.enabled">
                  {{ stored.taken }}<span class="visually-hidden"> taken in 30 days</span>
                </template>
                <template v-else>off</template>
              </span>
              <span class="does two-lines">
                <span class="swatch" :style="{ background: colour(stored.id) }"></span>
                {{ doesSaying(stored.rule) }}
              </span>
            </RouterLink>
          </li>
        </VueDraggable>
        <RouterLink to="/mail" class="rule inbox">
          <span class="name">Inbox</span>
          <span class="taken">{{ mailbox.line.stay }}</span>
          <span class="does">of {{ mailbox.line.arrived }} stay in front of you</span>
        </RouterLink>
      </div>
    </div>
  </section>
</template>

<style scoped>
.line {
  overflow-y: auto;
  padding: 12px 12px 24px 16px;
}

header {
  display: flex;
  align-items: center;
  justify-content: space-between;
  margin-bottom: 14px;
}

h2 {
  font-size: 13px;
  font-weight: 600;
  color: var(--ink-soft);
}

.new {
  padding: 2px 12px;
  border: 1px solid var(--line);
  border-radius: var(--radius);
  background: var(--sheet);
  color: var(--spruce);
  font-weight: 600;
  text-decoration: none;
}

.new:hover {
  border-color: var(--spruce);
}

.stream {
  display: grid;
  grid-template-columns: 70px 1fr;
}

.trunk {
  fill: var(--spruce);
}

.quiet {
  stroke: var(--line);
  stroke-width: 2;
  stroke-dasharray: 3 3;
}

.rule {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 0 8px;
  padding: 4px 8px;
  margin-bottom: 8px;
  border: 1px solid transparent;
  border-radius: var(--radius);
  color: var(--ink);
  text-decoration: none;
}

.rule:hover {
  background: var(--sheet);
}

.rule.current {
  background: var(--sheet);
  border-color: var(--spruce);
}

.name {
  font-weight: 600;
}

.taken,
.does {
  color: var(--ink-soft);
}

.does {
  grid-column: 1 / -1;
  font-size: 13px;
}

.two-lines {
  display: -webkit-box;
  overflow: hidden;
  -webkit-box-orient: vertical;
  -webkit-line-clamp: 2;
  line-height: 17px;
}

.swatch {
  margin-right: 4px;
}

.off .name,
.off .does {
  color: var(--ink-soft);
  font-weight: 400;
  font-style: italic;
}
</style>
