<script setup lang="ts">
const views = [
  { to: '/mail', label: 'Mail', key: '1' },
  { to: '/rules', label: 'Rules', key: '2' },
  { to: '/history', label: 'History', key: '3' },
  { to: '/insights', label: 'Insights', key: '4' },
  { to: '/setup', label: 'Setup', key: '5' },
]
</script>

<template>
  <nav class="views" aria-label="Views">
    <RouterLink
      v-for="view in views"
      :key="view.to"
      :to="view.to"
      class="view"
      :class="{ current: $route.path.startsWith(view.to) }"
      :title="`${view.label} (${view.key})`"
      :aria-current="$route.path.startsWith(view.to) ? 'page' : undefined"
    >
      {{ view.label }}
    </RouterLink>
  </nav>
</template>

<style scoped>
.views {
  display: flex;
  gap: 4px;
}

.view {
  padding: 5px 12px;
  border-radius: var(--radius);
  color: var(--ink-soft);
  text-decoration: none;
}

.view:hover {
  background: var(--spruce-wash);
}

.view.current {
  background: var(--spruce);
  color: var(--on-spruce);
  font-weight: 600;
}

/* At the foot of the window, each as wide as a thumb needs. */
@media (max-width: 699px) {
  .views {
    gap: 2px;
    padding: 4px;
    border-top: 1px solid var(--line);
  }

  .view {
    flex: 1;
    padding: 12px 2px;
    text-align: center;
  }
}
</style>
