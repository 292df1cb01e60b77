/** Distributions: bars for numbers, swatches for colours. */
import { useEffect, useRef } from "react";
import type { Histogram, StepCensus } from "../api/client";
import { bytesOf } from "./bytes";

interface BarsProps {
  of: Histogram;
  height: number;
  label: string;
  /** Where a traced element lies, in the histogram's own numbers. */
  mark?: number | null;
}

/** The place of a number on the histogram's axis, 0..1. */
export function onAxis(of: Histogram, value: number): number {
  const width = of.high - of.low;
  return width > 0 ? Math.min(1, Math.max(0, (value - of.low) / width)) : 0.5;
}

export function Bars({ of, height, label, mark }: BarsProps) {
  const highest = Math.max(1, ...of.bins);
  const n = of.bins.length;
  const total = of.bins.reduce((a, b) => a + b, 0) + of.below + of.above;
  const path = of.bins
    .map((count, k) => {
      const h = count === 0 ? 0 : Math.max(1, (count / highest) * height);
      return `M${k + 0.06} ${height}v${-h}h0.88v${h}z`;
    })
    .join("");
  return (
    <div className="relative" style={{ height }}>
      <svg
        role="img"
        aria-label={`${label}: ${total.toLocaleString("en-GB")} values from ${of.least.toPrecision(3)} to ${of.greatest.toPrecision(3)}`}
        viewBox={`0 0 ${n} ${height}`}
        preserveAspectRatio="none"
        className="block h-full w-full"
      >
        <path d={path} fill="var(--bars)" />
      </svg>
      {mark !== undefined && mark !== null && (
        <span
          aria-hidden
          className="absolute -top-0.5 bottom-0 w-0 border-l-2 border-dotted border-ink"
          style={{ left: `${onAxis(of, mark) * 100}%` }}
        />
      )}
    </div>
  );
}

/** The least and greatest values under bars whose axis is not 0..1. */
export function AxisEnds({ of }: { of: Histogram }) {
  if (of.low === 0 && of.high === 1) return null;
  return (
    <div className="flex justify-between text-[10.5px] text-soft tabular">
      <span>{Number(of.low.toPrecision(4))}</span>
      <span>{Number(of.high.toPrecision(4))}</span>
    </div>
  );
}

export function Swatches({ of, height, label }: { of: NonNullable<StepCensus["colours"]>; height: number; label: string }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const context = canvas.current?.getContext("2d");
    context?.putImageData(new ImageData(bytesOf(of.swatches), of.columns, of.rows), 0, 0);
  }, [of]);
  return (
    <canvas
      ref={canvas}
      width={of.columns}
      height={of.rows}
      role="img"
      aria-label={label}
      className="block w-full rounded-[3px] [image-rendering:pixelated]"
      style={{ height }}
    />
  );
}

/** A bar of colours from the core, side by side. */
export function Bar({ bar, height }: { bar: string; height: number }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const context = canvas.current?.getContext("2d");
    if (!context) return;
    const rgb = bytesOf(bar);
    const image = context.createImageData(rgb.length / 3, 1);
    for (let k = 0; k < rgb.length / 3; k++) {
      image.data.set(rgb.subarray(3 * k, 3 * k + 3), 4 * k);
      image.data[4 * k + 3] = 255;
    }
    context.putImageData(image, 0, 0);
  }, [bar]);
  return <canvas ref={canvas} width={Math.floor(bar.length / 4)} height={1} aria-hidden className="block w-full" style={{ height }} />;
}
