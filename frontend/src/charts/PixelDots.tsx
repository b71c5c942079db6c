import { useColorScheme } from "@mui/material/styles";
import { memo, useLayoutEffect, useRef } from "react";
import { paint, type Placed } from "./pixelDotsLayout";

interface Props {
  placed: Placed;
  kept: Uint8Array;
  width: number;
  height: number;
}

/** Trials as dots, written pixel by pixel: ten thousand cost a millisecond, so that a brush keeps up with the hand. */
export const PixelDots = memo(function PixelDots({ placed, kept, width, height }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const { mode } = useColorScheme();
  useLayoutEffect(() => {
    const surface = canvas.current;
    if (!surface) return;
    const density = window.devicePixelRatio || 1;
    const [across, down] = [Math.max(1, Math.round(width * density)), Math.max(1, Math.round(height * density))];
    if (surface.width !== across || surface.height !== down) {
      surface.width = across;
      surface.height = down;
    }
    const pen = surface.getContext("2d");
    if (!pen) return; // a page without pictures
    const image = pen.createImageData(across, down);
    paint(
      new Uint32Array(image.data.buffer),
      across,
      down,
      placed,
      kept,
      density,
      mode === "dark" ? 0x604b5650 : 0x50b0a898,
    );
    pen.putImageData(image, 0, 0);
  }, [placed, kept, width, height, mode]);
  return <canvas ref={canvas} style={{ width, height, position: "absolute", inset: 0 }} aria-hidden />;
});
