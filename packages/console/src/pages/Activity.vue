<script setup lang="ts">
import type { ActivityList } from '@vekkon/protocol';
import Column from 'primevue/column';
import DataTable from 'primevue/datatable';
import { ref } from 'vue';
import ProblemNotice from '../components/ProblemNotice.vue';
import UnsettledView from '../components/UnsettledView.vue';
import { refreshing } from '../refreshing.js';
import { useSignedIn } from '../signed-in.js';
import { timeInWords } from '../words.js';

const { calls } = useSignedIn();
const activity = ref<ActivityList['activity']>();
const problem = ref<unknown>();

async function load(): Promise<void> {
  try {
    activity.value = (await calls.value.activity()).activity;
    problem.value = undefined;
  } catch (error) {
    problem.value = error;
  }
}

refreshing(load);
</script>

<template>
  <h1>Activity</h1>
  <ProblemNotice v-if="problem" :problem="problem" @again="load" />
  <section aria-label="Unsettled">
    <h2>Unsettled</h2>
    <UnsettledView />
  </section>
  <section aria-label="What was done">
    <h2>What was done</h2>
    <div v-if="activity?.length === 0" class="sheet none">
      Nothing yet. Edits, disturbances and keys will stand here.
    </div>
    <div v-else-if="activity" class="sheet">
      <DataTable :value="activity">
        <Column header="When"
          ><template #body="{ data }">{{ timeInWords(data.at) }}</template></Column
        >
        <Column field="what" header="What" />
        <Column header="By"
          ><template #body="{ data }">{{ data.by ?? 'the service' }}</template></Column
        >
        <Column header="Player"
          ><template #body="{ data }">{{ data.player ?? '–' }}</template></Column
        >
        <Column header="Detail"
          ><template #body="{ data }"
            ><span class="detail">{{ data.detail }}</span></template
          ></Column
        >
      </DataTable>
    </div>
  </section>
</template>

<style scoped>
section {
  margin-top: 1.4rem;
}

h2 {
  margin-bottom: 0.6rem;
}

.none {
  padding: 1.2rem 1.6rem;
}

.sheet {
  overflow: hidden;
}

.detail {
  overflow-wrap: anywhere;
}
</style>
