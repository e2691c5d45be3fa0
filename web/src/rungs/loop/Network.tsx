import Button from 'react-bootstrap/Button';
import Form from 'react-bootstrap/Form';
import { formatQuantity, NETWORK_PARTS, valueAt, type CompensatorParts, type LoopCorners } from '@yundro/core';
import { neededAt } from '../../fields/needed.ts';
import { QuantityField } from '../../fields/QuantityField.tsx';
import { useDocument, useSolved } from '../../stores/designStore.ts';
import { Difference } from './Difference.tsx';
import { NetworkDrawing } from './NetworkDrawing.tsx';
import { keepNetwork } from './keep.ts';
import css from './loop.module.css';
import page from '../../app/page.module.css';

/** Whether a value is one of this kind of amplifier's; a slew rate is asked for beside its bandwidth alone. */
function belongs(key: keyof CompensatorParts, amplifier: string, held: CompensatorParts | undefined): boolean {
  if (key === 'transconductance') return amplifier === 'ota';
  if (key === 'gainBandwidth') return amplifier === 'op-amp';
  return key !== 'slewRate' || (amplifier === 'op-amp' && held?.gainBandwidth !== undefined);
}

/** The amplifier's network by its parts: typed, they are held; what was taken can be held as it is. */
export function Network({ answer: { network } }: { answer: LoopCorners }) {
  const held = useDocument((state) => valueAt(state.document, 'decisions.compensator') as CompensatorParts | undefined);
  const title = useDocument((state) => state.document?.name ?? '');
  const rule = useSolved((state) => state.decided.find(({ path }) => path === 'compensator')?.rule);
  if (!network) return <Difference />;
  const type = held?.type ?? network.type ?? 1;
  const amplifier = held?.amplifier ?? network.amplifier ?? 'op-amp';
  const put = (change: Partial<CompensatorParts>): void => keepNetwork({ ...network, ...held, ...change });
  return (
    <section aria-label="Network" data-testid="network">
      <div className={page['row-head']}>
        <h2>Network</h2>
        <Form.Select
          size="sm"
          aria-label="Type of the network"
          className={page['pick']}
          value={type}
          onChange={(event) => put({ type: Number(event.target.value) as 1 | 2 | 3 })}
        >
          <option value={1}>type 1: an integrator</option>
          <option value={2}>type 2: and a zero and a pole</option>
          <option value={3}>type 3: and two of each</option>
        </Form.Select>
        <Form.Select
          size="sm"
          aria-label="Amplifier"
          className={page['pick']}
          value={amplifier}
          onChange={(event) => put({ amplifier: event.target.value as 'op-amp' | 'ota' })}
        >
          <option value="op-amp">operational amplifier</option>
          <option value="ota">transconductance amplifier</option>
        </Form.Select>
        {held ? null : (
          <Button size="sm" variant="outline-secondary" onClick={() => put({})}>
            Keep this network
          </Button>
        )}
      </div>
      {rule === undefined ? null : <p className={css['words']}>Decided: {rule}.</p>}
      <div className={css['network']}>
        {NETWORK_PARTS.filter(([key]) => belongs(key, amplifier, held)).map(([key, label, unit]) => {
          const taken = network[key];
          const given = held?.[key];
          return (
            <QuantityField
              key={key}
              small
              optional
              label={label}
              unit={unit}
              value={typeof given === 'number' ? given : undefined}
              placeholder={typeof taken === 'number' ? formatQuantity(taken, unit) : 'none'}
              check={neededAt(`decisions.compensator.${key}`)}
              // without a bandwidth there is no speed to limit
              onChange={(value) =>
                put({
                  [key]: value,
                  ...(key === 'gainBandwidth' && value === undefined ? { slewRate: undefined } : {}),
                })
              }
            />
          );
        })}
      </div>
      <NetworkDrawing network={network} title={title} />
    </section>
  );
}
