import { ChainPanel } from "../../chain/ChainPanel";
import { Dials } from "../Dials";
import { Markers } from "../Markers";
import { PaintedColumns } from "../PaintedColumns";
import { Pictures } from "../Pictures";
import { Populations } from "../Populations";
import { Values } from "../Values";

export function ColourLeft() {
  return (
    <div className="flex h-full flex-col gap-1 p-2.5 pt-1.5">
      <Populations />
      <Values />
      <Dials />
      <PaintedColumns />
      <Markers />
      <Pictures />
    </div>
  );
}

export const ColourRight = ChainPanel;
