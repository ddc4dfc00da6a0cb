<script setup lang="ts">
import { VekkonOperator } from '@vekkon/client/operator';
import BecomeOperator, { type NewOperator } from '../components/BecomeOperator.vue';
import { serviceUrl } from '../signed-in.js';

const become = ({ invitation, name, password }: NewOperator) =>
  VekkonOperator.acceptInvitation(serviceUrl, { invitation, name, password, keepIn: 'cookie' });
</script>

<template>
  <BecomeOperator
    title="You are invited"
    incomplete="This page needs the whole link that you were sent. Copy it again, to its end."
    :asks-email="false"
    :become="become"
  />
</template>
