<script setup lang="ts">
import { VekkonOperator } from '@vekkon/client/operator';
import BecomeOperator, { type NewOperator } from '../components/BecomeOperator.vue';
import { serviceUrl } from '../signed-in.js';

const become = (admin: NewOperator) => VekkonOperator.becomeFirstAdmin(serviceUrl, { ...admin, keepIn: 'cookie' });
</script>

<template>
  <BecomeOperator
    title="You are the first admin"
    incomplete="This page needs the whole link that the service printed when it started. Copy it again, to its end."
    asks-email
    :become="become"
  />
</template>
