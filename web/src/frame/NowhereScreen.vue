<template>
  <main class="screen">
    <div class="empty">
      <h2>There is no screen at this address</h2>
      <p>It may have moved, or the address was cut off when it was copied.</p>
      <RouterLink class="button" to="/">To the start</RouterLink>
    </div>
  </main>
</template>
