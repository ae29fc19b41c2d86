<script lang="ts"></script>

<!-- The two textures of all pictures, defined once: the room's speckle and the hatched ceiling of clipping. -->
<svg width="0" height="0" aria-hidden="true">
  <defs>
    <pattern id="speckle" width="7" height="7" patternUnits="userSpaceOnUse">
      <circle cx="1.5" cy="1.5" r="1" fill="var(--room)" />
      <circle cx="5" cy="5" r="1" fill="var(--room)" />
    </pattern>
    <pattern id="hatch" width="8" height="8" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
      <rect width="2.5" height="8" fill="var(--peak)" opacity="0.55" />
    </pattern>
  </defs>
</svg>

<style>
  svg {
    position: absolute;
  }
</style>
