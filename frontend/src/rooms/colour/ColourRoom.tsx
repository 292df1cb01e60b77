import { ChainPanel } from "../../chain/ChainPanel";
import { Dials } from "../Dials";
import { Markers } from "../Markers";
import { PaintedColumns } from "../PaintedColumns";
import { Pictures } from "../Pictures";
import { Populations } from "../Populations";
import { Values } from "../Values";

export function ColourLeft() {
  return (
    <div className="flex flex-col gap-4 p-2.5">
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
