<script lang="ts">
  /** What is not known yet is said to be so. */
  let { what }: { what: string } = $props();
</script>

<p>Nothing is known about {what} yet.</p>

<style>
  p {
    padding: 10px 0;
    color: var(--quiet-ink);
  }
</style>
