<script setup lang="ts">
import type { Evidence } from '@/api/client'

defineProps<{ piece: Evidence; lead?: string }>()
</script>

<template>
  <span
    >{{ lead ? `${lead} ` : '' }}{{ piece.value.slice(0, piece.start)
    }}<mark>{{ piece.value.slice(piece.start, piece.end) }}</mark
    >{{ piece.value.slice(piece.end) }}</span
  >
</template>
