<template>
  <span class="mark">
    <svg viewBox="0 0 32 32" width="26" height="26" aria-hidden="true">
      <path d="M6 5v22M26 5v22" stroke="var(--ink)" stroke-width="3.5" stroke-linecap="round" />
      <path d="M6 14c5 6 15 6 20 0" fill="none" stroke="var(--water)" stroke-width="4.5" stroke-linecap="round" />
    </svg>
    <span class="name">Acequia</span>
  </span>
</template>

<style scoped>
.mark {
  display: inline-flex;
  align-items: center;
  gap: 8px;
}
.name {
  font: 600 20px/1 var(--display);
  color: var(--water);
}
</style>
