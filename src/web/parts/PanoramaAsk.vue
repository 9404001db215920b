<script setup lang="ts">
import Button from "primevue/button";
import Dialog from "primevue/dialog";

/** Asks what a picture that is twice as wide as high is for. */
defineProps<{ name: string; shotIsOpen?: boolean }>();
const emit = defineEmits<{ answer: [as: "surroundings" | "plate" | null] }>();
</script>

<template>
  <Dialog
    :visible="true"
    modal
    header="A picture of all around?"
    :style="{ width: '520px' }"
    data-test="panorama-ask"
    @update:visible="emit('answer', null)"
  >
    <p>“{{ name }}” is twice as wide as high, as pictures of all around are.</p>
    <p v-if="!shotIsOpen" class="quiet">
      To light a shot with it, open that shot and drop it there: it becomes the sky of its light.
    </p>
    <div class="row">
      <Button
        v-if="shotIsOpen"
        label="Light this shot with it"
        data-test="panorama-light"
        @click="emit('answer', 'surroundings')"
      />
      <Button
        label="It is a plate: begin a shot"
        :severity="shotIsOpen ? 'secondary' : undefined"
        data-test="panorama-plate"
        @click="emit('answer', 'plate')"
      />
      <Button label="Neither" severity="secondary" text @click="emit('answer', null)" />
    </div>
  </Dialog>
</template>
