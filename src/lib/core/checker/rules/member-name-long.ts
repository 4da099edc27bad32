import { join, service, set } from '../examples';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'member-name-long',
  level: 'error',
  title: "The set's name is too long for its revision's label",
  why: "A set's name goes into the label of its revision, which may have 63 characters: ten go for the hash and one for the dash, so 52 are left. A longer name is taken, and then its pods can't be made. (The figure is from memory.)",
  bad: join(service(), set({ meta: `name: ${'bookings-of-the-northern-harbours-'.repeat(2).slice(0, 55)}` })),
  good: join(service(), set()),
  check: ({ written }) =>
    written('StatefulSet').flatMap((on) => {
      const { name } = on.object.metadata;
      if (name.length <= 52) return [];
      const short = name.slice(0, 52).replace(/-+$/, '');
      return [
        hit(
          on,
          ['metadata', 'name'],
          `"${name}" has ${name.length} characters; a set's name may have 52.`,
          'Shorten it.',
          change(`Write ${short}`, on, { set: ['metadata', 'name'], value: short })
        )
      ];
    })
});
