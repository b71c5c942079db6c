import { useColorScheme } from "@mui/material/styles";
import { memo, useLayoutEffect, useMemo, useRef } from "react";
import { canvasFor, paint, type Placed } from "./pixelDotsLayout";

interface Props {
  placed: Placed;
  kept: Uint8Array;
  width: number;
  height: number;
}

const FAINT = { light: 0x50b0a898, dark: 0x604b5650 }; // as the canvas keeps colours

/** Trials as dots, written pixel by pixel: ten thousand cost a millisecond, so that a brush keeps up with the hand. */
export const PixelDots = memo(function PixelDots({ placed, kept, width, height }: Props) {
  const element = useRef<HTMLCanvasElement>(null);
  const image = useRef<ImageData>(null);
  const { mode } = useColorScheme();
  const density = window.devicePixelRatio || 1;
  const across = Math.max(1, Math.round(width * density));
  const down = Math.max(1, Math.round(height * density));
  const canvas = useMemo(() => canvasFor(placed, across, down, density), [placed, across, down, density]);
  useLayoutEffect(() => {
    const pen = element.current?.getContext("2d");
    if (!pen) return; // a page without pictures
    if (image.current?.width !== across || image.current.height !== down)
      image.current = pen.createImageData(across, down);
    const pixels = new Uint32Array(image.current.data.buffer);
    pixels.fill(0);
    paint(pixels, canvas, placed.colour, kept, mode === "dark" ? FAINT.dark : FAINT.light);
    pen.putImageData(image.current, 0, 0);
  }, [canvas, placed, kept, across, down, mode]);
  return (
    <canvas
      ref={element}
      width={across}
      height={down}
      className="fills untouched"
      style={{ width, height }}
      aria-hidden
    />
  );
});
