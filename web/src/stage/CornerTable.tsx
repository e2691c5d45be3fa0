import Table from 'react-bootstrap/Table';
import { formatQuantity, type OperatingPoint, type QuantityId, type Unit } from '@yundro/core';
import { pickCorner, useSolved } from '../stores/designStore.ts';
import { WhyNumber } from '../why/WhyNumber.tsx';

const ROWS: readonly { id: QuantityId; name: string; unit: Unit; read: (p: OperatingPoint) => number | undefined }[] = [
  { id: 'duty', name: 'Duty', unit: '%', read: (p) => p.duty },
  { id: 'boostDuty', name: 'Boost leg’s duty', unit: '%', read: (p) => p.boostDuty },
  { id: 'switchingFrequency', name: 'Frequency', unit: 'Hz', read: (p) => p.switchingFrequency },
  { id: 'onTime', name: 'On-time', unit: 's', read: (p) => p.onTime },
  { id: 'inductorRipple', name: 'Inductor ripple', unit: 'A', read: (p) => p.inductorCurrent.ripple },
  { id: 'inductorPeak', name: 'Inductor peak', unit: 'A', read: (p) => p.inductorCurrent.peak },
  { id: 'inductorRms', name: 'Inductor RMS', unit: 'A', read: (p) => p.inductorCurrent.rms },
  { id: 'controlRms', name: 'Control switch RMS', unit: 'A', read: (p) => p.controlSwitch.rmsCurrent },
  { id: 'controlBlocking', name: 'Control switch, blocking', unit: 'V', read: (p) => p.controlSwitch.blockingVoltage },
  { id: 'rectifierRms', name: 'Rectifier RMS', unit: 'A', read: (p) => p.rectifier.rmsCurrent },
  { id: 'rectifierBlocking', name: 'Rectifier, blocking', unit: 'V', read: (p) => p.rectifier.blockingVoltage },
  {
    id: 'boostControlRms',
    name: 'Boost control RMS',
    unit: 'A',
    read: (p) => p.boostLeg?.controlSwitch.rmsCurrent,
  },
  {
    id: 'boostRectifierRms',
    name: 'Boost rectifier RMS',
    unit: 'A',
    read: (p) => p.boostLeg?.rectifier.rmsCurrent,
  },
  { id: 'inputCapacitorRms', name: 'Input bank RMS', unit: 'A', read: (p) => p.inputCapacitor.rmsCurrent },
  { id: 'inputRipple', name: 'Input ripple', unit: 'V', read: (p) => p.inputCapacitor.ripple },
  { id: 'outputCapacitorRms', name: 'Output bank RMS', unit: 'A', read: (p) => p.outputCapacitor.rmsCurrent },
  { id: 'outputRipple', name: 'Output ripple', unit: 'V', read: (p) => p.outputCapacitor.ripple },
  { id: 'loadRipple', name: 'After the second section', unit: 'V', read: (p) => p.outputFilter?.ripple },
  { id: 'lossControl', name: 'Control switch loss', unit: 'W', read: (p) => p.losses.controlSwitchConduction },
  { id: 'lossRectifier', name: 'Rectifier loss', unit: 'W', read: (p) => p.losses.rectifierConduction },
  { id: 'lossDeadTime', name: 'Dead-time loss', unit: 'W', read: (p) => p.losses.deadTimeConduction },
  { id: 'lossWinding', name: 'Winding loss', unit: 'W', read: (p) => p.losses.windingConduction },
  {
    id: 'lossBoostControl',
    name: 'Boost control loss',
    unit: 'W',
    read: (p) => p.losses.boostControlSwitchConduction,
  },
  {
    id: 'lossBoostRectifier',
    name: 'Boost rectifier loss',
    unit: 'W',
    read: (p) => p.losses.boostRectifierConduction,
  },
  { id: 'lossFilterWinding', name: 'Second inductor loss', unit: 'W', read: (p) => p.losses.outputFilterWinding },
  { id: 'lossSource', name: 'Source loss', unit: 'W', read: (p) => p.losses.sourceResistance },
  { id: 'lossPreload', name: 'Preload', unit: 'W', read: (p) => p.losses.preload },
  { id: 'lossTotal', name: 'Losses, conduction only', unit: 'W', read: (p) => p.losses.total },
  { id: 'inputAverage', name: 'Input current', unit: 'A', read: (p) => p.inputCurrent.average },
  { id: 'efficiency', name: 'Efficiency, conduction only', unit: '%', read: (p) => p.efficiency },
];

/** Every quantity at every corner; a number opens its Why? at that corner. */
export function CornerTable({ points }: { points: readonly OperatingPoint[] }) {
  const corner = useSolved((state) => state.corner);
  const pick = (p: OperatingPoint): void =>
    pickCorner({ inputVoltage: p.inputVoltage, outputCurrent: p.outputCurrent });
  const rows = ROWS.filter((row) => points.some((p) => row.read(p) !== undefined));
  return (
    <section className="corners" aria-label="All corners">
      <h2>All corners</h2>
      <Table size="sm" className="mono">
        <thead>
          <tr>
            <th scope="col">at</th>
            {points.map((p) => (
              <th key={`${p.inputVoltage}/${p.outputCurrent}`} scope="col">
                {formatQuantity(p.inputVoltage, 'V')}, {formatQuantity(p.outputCurrent, 'A')}
                <br />
                <span className="soft">
                  {p.conductionMode}
                  {p.region ? `, ${p.region}` : ''}
                </span>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => (
            <tr key={row.id}>
              <th scope="row">{row.name}</th>
              {points.map((p) => {
                const value = row.read(p);
                const here = p.inputVoltage === corner.inputVoltage && p.outputCurrent === corner.outputCurrent;
                return (
                  <td
                    key={`${p.inputVoltage}/${p.outputCurrent}`}
                    className={here ? 'here' : undefined}
                    onClickCapture={() => pick(p)}
                  >
                    {value === undefined ? '—' : <WhyNumber id={row.id} value={value} unit={row.unit} />}
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </Table>
    </section>
  );
}
