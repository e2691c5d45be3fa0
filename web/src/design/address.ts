import { useEffect, useRef } from 'react';
import { useSearchParams } from 'react-router';
import { cornersOf } from '@yundro/core';
import { pickCorner, useDocument, useSolved } from '../stores/designStore.ts';
import { FIRST_LANES, useView } from '../stores/viewStore.ts';

const positive = (text: string | null): number | undefined => {
  const value = text === null || text === '' ? Number.NaN : Number(text);
  return Number.isFinite(value) && value >= 0 ? value : undefined;
};

/**
 * Keeps what is looked at in the address, beside the rung: the corner and the waveforms shown, so that a reload, a link
 * or another rung finds them as they were. What is as it first was is left out.
 */
export function useAddress(designId: string, ready: boolean): void {
  const [params, setParams] = useSearchParams();
  const read = useRef<string>(undefined);
  const corner = useSolved((state) => state.corner);
  const lanes = useView((state) => state.lanes);
  const areas = useView((state) => state.areas);
  const brief = useDocument((state) => state.document?.brief);

  useEffect(() => {
    if (!ready || !brief) return;
    if (read.current !== designId) {
      read.current = designId;
      const [inputVoltage, outputCurrent] = [positive(params.get('vin')), positive(params.get('iout'))];
      const asked = cornersOf({ brief }).find(
        (at) => at.inputVoltage === inputVoltage && at.outputCurrent === outputCurrent,
      );
      if (asked) pickCorner(asked);
      const shown = params.get('show')?.split('.');
      if (shown) useView.setState({ lanes: shown.filter((id) => /^\w+$/u.test(id)) });
      if (params.get('areas') === 'on') useView.setState({ areas: true });
      return;
    }
    const next = new URLSearchParams(params);
    const set = (key: string, value: string | undefined): void => {
      if (value === undefined) next.delete(key);
      else next.set(key, value);
    };
    const first =
      corner.inputVoltage === brief.inputVoltage.nominal && corner.outputCurrent === brief.outputCurrent.max;
    set('vin', first ? undefined : String(corner.inputVoltage));
    set('iout', first ? undefined : String(corner.outputCurrent));
    set('show', lanes === FIRST_LANES || lanes.join() === FIRST_LANES.join() ? undefined : lanes.join('.'));
    set('areas', areas ? 'on' : undefined);
    if (next.toString() !== params.toString()) setParams(next, { replace: true });
  }, [designId, ready, brief, corner, lanes, areas, params, setParams]);
}
