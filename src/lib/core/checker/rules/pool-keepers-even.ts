import { rule, change, hit } from '../rule';

export default rule({
  id: 'pool-keepers-even',
  level: 'warning',
  title: 'An even number of quorum keepers',
  why: 'Keepers decide by majority. Four survive the loss of one, as three do. Three or five.',
  bad: 'apiVersion: engines.standin.example/v1\nkind: Pool\nmetadata: {name: sheds}\nspec: {copies: 3, keepers: 4}\n',
  good: 'apiVersion: engines.standin.example/v1\nkind: Pool\nmetadata: {name: sheds}\nspec: {copies: 3, keepers: 3}\n',
  check: ({ written }) =>
    written('Pool').flatMap((on) => {
      const { keepers } = on.object.spec;
      if (keepers % 2 && keepers >= 3) return [];
      const better = keepers < 4 ? 3 : 5;
      return [
        hit(
          on,
          ['spec', 'keepers'],
          `${keepers} keepers survive the loss of ${Math.floor((keepers - 1) / 2)}.`,
          `Write ${better}.`,
          change(`Write ${better}`, on, { set: ['spec', 'keepers'], value: better })
        )
      ];
    })
});
