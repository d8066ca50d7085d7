import { type Complaint, check } from '../check.ts';
import { SETTINGS, statedIn } from '../on-brokers.ts';
import { usualAmong } from '../suggest.ts';
import { counted } from '../../../base/phrase.ts';
import { formatDuration } from '../../../base/values.ts';
import { addressOf, thing } from '../../../language/thing.ts';
import { setAt } from '../../../syntax/edit/edit.ts';

/** A setting left to the default where nearly all neighbours state it. */
export const unstatedSetting = check({
  id: 'names/unstated-setting',
  severity: 'advice',
  finds: 'A setting left to its default where nearly all queues of the broker state it.',
  why: 'A default that is meant looks just like one that was forgotten.',
  of: 'broker',
  run: ({ name: broker, decl: value }, context): Complaint[] => {
    const { queues: items } = value;
    if (!items || items.size < 4) return [];
    const unstated = context.unstated(broker);
    return SETTINGS.flatMap((setting, i): Complaint[] => {
      const said = (decl: object) => statedIn(decl, setting);
      const silent = unstated[i] ?? 0;
      // one among four and more
      if (silent === 0 || items.size - silent < 3 || silent * 4 > items.size) return [];
      const queues = [...items.values()];
      const stated = queues.filter((each) => said(each.value));
      const usual = usualAmong(stated.map((each) => String(said(each.value)!.value)));
      return queues.flatMap(({ name, key, value: decl }) => {
        if (said(decl)) return [];
        const own = thing('queue', name, broker);
        const written = setting === 'ttl' || setting === 'lease' ? formatDuration(Number(usual)) : usual!;
        return [
          {
            message: `${addressOf(own)} does not say \`${setting}\`, though ${counted(stated.length, 'other queue')} of ${broker} ${stated.length === 1 ? 'does' : 'do'}.`,
            place: key,
            about: own.id,
            mends: [
              {
                title: `Say \`${setting}: ${written}\`, as most of them do`,
                edit: (topology) =>
                  setAt(
                    topology,
                    ['brokers', broker, 'queues', name, setting],
                    Number.isNaN(Number(written)) ? written : Number(written),
                  ),
              },
            ],
          },
        ];
      });
    });
  },
});
