<script setup lang="ts">
import { BarChart, LineChart } from "echarts/charts";
import { GridComponent, MarkLineComponent, TooltipComponent } from "echarts/components";
import { use } from "echarts/core";
import type { EChartsCoreOption } from "echarts/core";
import { CanvasRenderer } from "echarts/renderers";
import VChart from "vue-echarts";

use([BarChart, LineChart, GridComponent, MarkLineComponent, TooltipComponent, CanvasRenderer]);

defineProps<{ title: string; option: EChartsCoreOption }>();

const axis = {
  axisLabel: { color: "#a9a6a2", fontSize: 10 },
  axisLine: { lineStyle: { color: "#6c6967" } },
  axisTick: { lineStyle: { color: "#6c6967" } },
  splitLine: { lineStyle: { color: "#454342" } },
  nameTextStyle: { color: "#a9a6a2", fontSize: 10 },
};
const theme = {
  textStyle: { fontFamily: "IBM Plex Sans Variable" },
  valueAxis: { ...axis, axisLabel: { ...axis.axisLabel, hideOverlap: true } },
  categoryAxis: { ...axis, splitLine: { show: false } },
};
</script>

<template>
  <figure>
    <figcaption class="quiet">{{ title }}</figcaption>
    <VChart class="chart" :option="option" :theme="theme" autoresize />
  </figure>
</template>

<style scoped>
figure {
  margin: 0;
  display: grid;
  grid-template-rows: auto 1fr;
  min-width: 0;
  min-height: 0;
}
figcaption {
  font-size: 11px;
}
.chart {
  min-height: 0;
}
</style>
