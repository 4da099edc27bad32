import { rule, change, hit } from '../rule';

export default rule({
  id: 'pool-two-copies',
  level: 'warning',
  title: 'Fewer than three copies',
  why: 'With two copies, one loss leaves one, and a second loss before it has healed loses data; with one copy the first loss does. Three is common practice.',
  bad: 'apiVersion: engines.standin.example/v1\nkind: Pool\nmetadata: {name: sheds}\nspec: {copies: 2, keepers: 3}\n',
  good: 'apiVersion: engines.standin.example/v1\nkind: Pool\nmetadata: {name: sheds}\nspec: {copies: 3, keepers: 3}\n',
  check: ({ written }) =>
    written('Pool').flatMap((on) =>
      on.object.spec.copies >= 3
        ? []
        : [
            hit(
              on,
              ['spec', 'copies'],
              `${on.object.spec.copies} ${on.object.spec.copies === 1 ? 'copy' : 'copies'} of each piece.`,
              'Write 3.',
              change('Write 3', on, { set: ['spec', 'copies'], value: 3 })
            )
          ]
    )
});
