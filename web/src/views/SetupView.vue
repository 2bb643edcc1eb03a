<script setup lang="ts">
import { computed } from 'vue'
import { useRoute } from 'vue-router'

import AccountsPart from '@/components/setup/AccountsPart.vue'
import ContactsPart from '@/components/setup/ContactsPart.vue'
import FilesPart from '@/components/setup/FilesPart.vue'
import KeepingPart from '@/components/setup/KeepingPart.vue'
import LabelsPart from '@/components/setup/LabelsPart.vue'
import LooksPart from '@/components/setup/LooksPart.vue'
import OutsidePart from '@/components/setup/OutsidePart.vue'
import ServerPart from '@/components/setup/ServerPart.vue'

const route = useRoute()

const PARTS = [
  { key: 'accounts', label: 'Accounts and aliases', component: AccountsPart },
  { key: 'servers', label: 'Mail on a server', component: ServerPart },
  { key: 'labels', label: 'Labels', component: LabelsPart },
  { key: 'contacts', label: 'Contacts', component: ContactsPart },
  { key: 'files', label: 'Import and export', component: FilesPart },
  { key: 'outside', label: 'Outside', component: OutsidePart },
  { key: 'keeping', label: 'Keeping and time', component: KeepingPart },
  { key: 'looks', label: 'Looks', component: LooksPart },
] as const

const part = computed(() => PARTS.find((part) => part.key === route.params['part']) ?? PARTS[0])
</script>

<template>
  <main class="setup">
    <nav aria-label="Parts of Setup">
      <RouterLink
        v-for="setupPart in PARTS"
        :key="setupPart.key"
        :to="`/setup/${setupPart.key}`"
        class="part"
        :class="{ current: setupPart.key === part.key }"
        :aria-current="setupPart.key === part.key ? 'true' : undefined"
        >{{ setupPart.label }}</RouterLink
      >
    </nav>
    <section class="sheet" :aria-label="part.label">
      <h1>{{ part.label }}</h1>
      <component :is="part.component" />
    </section>
  </main>
</template>

<style>
.setup {
  display: grid;
  grid-template-columns: 216px minmax(0, 1fr);
}

.setup > nav {
  padding: 12px 10px;
}

.setup .part {
  display: block;
  padding: 4px 8px;
  border-radius: var(--radius);
  color: var(--ink);
  text-decoration: none;
}

.setup .part:hover {
  background: var(--line-soft);
}

.setup .part.current {
  background: var(--spruce-wash);
  font-weight: 600;
}

.setup .sheet {
  overflow-y: auto;
  padding: 16px 28px 40px;
  background: var(--sheet);
  border-left: 1px solid var(--line);
}

.setup h1 {
  margin-bottom: 4px;
  font: 500 24px/32px var(--type-mail);
}

.setup h2 {
  margin: 24px 0 6px;
  font-size: 15px;
  font-weight: 700;
}

.setup .lead {
  margin-bottom: 14px;
  color: var(--ink-soft);
}

/* One measure for all that stands on a sheet. */
.setup .sheet > * {
  max-width: 760px;
}

.setup table {
  width: 100%;
  border-collapse: collapse;
}

.setup th {
  padding: 4px 12px 4px 0;
  border-bottom: 1px solid var(--line);
  color: var(--ink-soft);
  font-weight: 500;
  text-align: left;
}

.setup td {
  padding: 7px 12px 7px 0;
  border-bottom: 1px solid var(--line-soft);
  vertical-align: top;
  overflow-wrap: anywhere;
}

.setup td.does,
.setup th.does {
  text-align: right;
  white-space: nowrap;
}

.setup td.does .text-button {
  margin-left: 12px;
}

.setup form {
  display: grid;
  grid-template-columns: 150px minmax(0, 1fr);
  gap: 8px 12px;
  align-items: start;
  margin-top: 10px;
}

.setup form > label {
  line-height: 32px;
  color: var(--ink-soft);
}

.setup form > .wide {
  grid-column: 2;
  display: flex;
  gap: 12px;
  align-items: center;
}

.setup .hint {
  color: var(--ink-soft);
}

.setup .failure {
  color: var(--brick);
}

@media (max-width: 699px) {
  .setup {
    display: block;
    overflow-y: auto;
  }

  .setup > nav {
    display: flex;
    flex-wrap: wrap;
    gap: 2px;
    padding: 6px;
  }

  .setup .part {
    padding: 7px 10px;
  }

  .setup .sheet {
    overflow: visible;
    padding: 12px 14px 24px;
    border-width: 1px 0 0;
  }

  .setup form {
    grid-template-columns: minmax(0, 1fr);
  }

  .setup form > label {
    line-height: 20px;
  }

  .setup form > .wide {
    grid-column: 1;
    flex-wrap: wrap;
  }

  /* Each row of a table is told one cell below the other. */
  .setup table,
  .setup tbody,
  .setup tr,
  .setup td {
    display: block;
    width: auto;
  }

  .setup thead {
    display: none;
  }

  .setup tr {
    padding: 6px 0;
    border-bottom: 1px solid var(--line-soft);
  }

  .setup td .text-button {
    margin-block: 0;
  }

  .setup td,
  .setup td.does {
    padding: 2px 0;
    border: 0;
    text-align: left;
  }
}
</style>
