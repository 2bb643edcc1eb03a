<script setup lang="ts">
/** What is wrong with a field, below it: said at once, and told with the field whenever it has the focus. */
import { onBeforeUnmount, onUpdated, useId, useTemplateRef, watchPostEffect } from 'vue'

import { controlOf } from '@/composables/useFormComplaints'

defineProps<{ saying: string }>()
const id = useId()
const said = useTemplateRef('said')
let field: HTMLElement | undefined

/** The control may be a part of a larger one, whose own attributes are not to be set from outside. */
function mark(): void {
  const now = said.value ? controlOf(said.value) : undefined
  if (field !== now) clear()
  field = now
  field?.setAttribute('aria-invalid', 'true')
  field?.setAttribute('aria-describedby', id)
}
function clear(): void {
  field?.removeAttribute('aria-invalid')
  field?.removeAttribute('aria-describedby')
  field = undefined
}
watchPostEffect(mark)
onUpdated(mark)
onBeforeUnmount(clear)
</script>

<template>
  <p v-if="saying" :id="id" ref="said" class="complaint" role="alert" data-complaint>
    {{ saying }}
  </p>
</template>

<style scoped>
.complaint {
  color: var(--brick);
  overflow-wrap: anywhere;
}
</style>
