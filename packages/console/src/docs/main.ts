import { createApp } from 'vue';
import { withLook } from '../look.js';
import CallsPage from './CallsPage.vue';

withLook(createApp(CallsPage)).mount('#docs');
