import { createRouter, createWebHistory } from 'vue-router'

// Each stage is loaded when somebody goes there: the 3D library only where a model is shown.
const Sources = () => import('../features/sources/SourcesView.vue')

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', component: Sources },
    { path: '/:project/sources', name: 'sources', component: Sources },
    { path: '/:project/browse', name: 'browse', component: () => import('../features/browse/BrowseView.vue') },
    {
      path: '/:project/bytes/:entry',
      name: 'bytes',
      component: () => import('../features/bytes/BytesView.vue'),
    },
    {
      path: '/:project/catalogue',
      name: 'catalogue',
      component: () => import('../features/catalogue/CatalogueView.vue'),
    },
    {
      path: '/:project/bench/:workpiece?',
      name: 'bench',
      component: () => import('../features/bench/BenchView.vue'),
    },
    {
      path: '/:project/batches/:batch?',
      name: 'batches',
      component: () => import('../features/batch/BatchesView.vue'),
    },
    {
      path: '/:project/deliver/:workpiece?',
      name: 'deliver',
      component: () => import('../features/deliver/DeliverView.vue'),
    },
  ],
})
