import { check } from '../check.ts';
import { listed } from '../../../base/phrase.ts';
import { addressOf } from '../../../language/thing.ts';

/** An app that runs nowhere, though something was declared for it to take. */
export const noInstances = check({
  id: 'nowhere/no-instances',
  severity: 'warning',
  finds: 'An app without instances that is to take something, or that has a queue for each instance.',
  why: 'What runs nowhere takes nothing, and of a queue for each instance there is none: messages for it go where those go that nothing matches.',
  of: 'node',
  run: (node, context) => {
    if (node.role === 'taker') {
      const { instances, consumes } = node.decl;
      if (instances?.value !== 0) return [];
      const from = [...new Set((consumes?.items ?? []).flatMap((each) => each.from?.value ?? []))];
      return [
        {
          message: `${node.thing.name} has no instances: it takes nothing from ${listed(from)}.`,
          place: instances.place,
          about: node.thing.id,
        },
      ];
    }
    if (node.role !== 'queue' || !('perInstanceOf' in node.decl)) return [];
    const app = node.decl.perInstanceOf;
    const decl = app && context.app(app.value);
    // said of the app itself where it is to take something
    if (!decl || decl.instances?.value !== 0 || decl.consumes?.items.length) return [];
    return [
      {
        message: `${app.value} has no instances, so there is no ${addressOf(node.thing)}: what is meant for it is matched by nothing.`,
        place: app.place,
        about: node.id,
        also: [`app:${app.value}`],
      },
    ];
  },
});
