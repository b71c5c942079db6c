/** A canvas sized for the screen's pixel density, cleared, and measured in CSS pixels. */
export function prepare(canvas: HTMLCanvasElement, width: number, height: number): CanvasRenderingContext2D {
  const density = window.devicePixelRatio || 1;
  canvas.width = Math.round(width * density);
  canvas.height = Math.round(height * density);
  const pen = canvas.getContext("2d")!;
  pen.setTransform(density, 0, 0, density, 0, 0);
  pen.clearRect(0, 0, width, height);
  return pen;
}

/** A palette variable's value as the canvas needs it. */
export const colour = (name: string) =>
  getComputedStyle(document.documentElement).getPropertyValue(name).trim() || "#000";
