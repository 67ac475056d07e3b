/** A chart of uPlot in a box of the page: as wide as that, in the colours of the theme, gone with its component. */
import { useElementSize } from '@vueuse/core'
import uPlot from 'uplot'
import 'uplot/dist/uPlot.min.css'
import { onBeforeUnmount, onMounted, watch, type Ref } from 'vue'

export interface PlotColours {
  quiet: string
  line: string
  copper: string
  slate: string
  text: string
}

/** What all charts share: thin grid, quiet words. */
export function axisOf(colours: PlotColours): uPlot.Axis {
  return { stroke: colours.quiet, grid: { stroke: colours.line, width: 1 }, ticks: { show: false } }
}

export function usePlot(
  box: Ref<HTMLElement | null>,
  height: number,
  options: (colours: PlotColours) => Omit<uPlot.Options, 'width' | 'height'>,
  data: () => uPlot.AlignedData,
) {
  const { width } = useElementSize(box)
  let plot: uPlot | null = null
  function make(): void {
    plot?.destroy()
    const style = getComputedStyle(box.value!)
    const colour = (name: string) => style.getPropertyValue(name).trim()
    const colours = {
      quiet: colour('--quiet'),
      line: colour('--line'),
      copper: colour('--copper'),
      slate: colour('--slate'),
      text: style.color,
    }
    plot = new uPlot({ width: Math.max(width.value, 200), height, ...options(colours) }, data(), box.value!)
  }
  onMounted(make)
  watch(width, (w) => w > 0 && plot?.setSize({ width: w, height }))
  onBeforeUnmount(() => plot?.destroy())
  return {
    /** New values under the same axes. */
    update: () => plot?.setData(data()),
    /** Other axes, too. */
    remake: () => plot && make(),
  }
}
