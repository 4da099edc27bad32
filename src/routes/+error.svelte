<script lang="ts">
  import { page } from '$app/state';
</script>

<main class="mx-auto max-w-2xl px-8 py-20">
  <p class="quiet small">{page.status}</p>
  <h1 class="mt-1 mb-3">{page.error?.message ?? 'Something went wrong.'}</h1>
  <p><a class="word" href="/">To the estate</a></p>
</main>
