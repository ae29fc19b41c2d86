<script lang="ts">
  interface Props {
    text: string;
    passage?: string;
  }
  let { text, passage }: Props = $props();
</script>

<div class="waiting">
  <p>{text}</p>
  {#if passage}<blockquote>{passage}</blockquote>{/if}
</div>

<style>
  .waiting {
    max-width: 66ch;
    margin-top: 24px;
    padding: 16px 20px;
    border-left: 3px solid var(--ink);
    font-size: 16px;
  }
  blockquote {
    margin: 14px 0 0;
    font-size: 17px;
    line-height: 1.6;
  }
</style>
