<script lang="ts">
  /** The line on top of every screen: the mark, then what the screen puts there. */
  import type { Snippet } from 'svelte';
  import Mark from './Mark.svelte';

  let { children }: { children: Snippet } = $props();
</script>

<header>
  <Mark />
  {@render children()}
</header>

<style>
  header {
    flex: none;
    display: flex;
    align-items: center;
    gap: 14px;
    height: 46px;
    padding: 0 16px;
    background: var(--sheet);
    border-bottom: 1px solid var(--ink);
    white-space: nowrap;
  }
  header :global(a.quiet) {
    text-decoration: none;
  }
</style>
