import { rule, change, hit } from '../rule';

export default rule({
  id: 'pool-copies-over-nodes',
  level: 'error',
  title: 'More copies than nodes to keep them',
  why: 'Each copy lies on a node of its own. With fewer labelled nodes than copies, nothing can be stored.',
  against: 'pilot-house',
  bad: 'apiVersion: engines.standin.example/v1\nkind: Pool\nmetadata: {name: sheds}\nspec: {copies: 5, keepers: 3}\n',
  good: 'apiVersion: engines.standin.example/v1\nkind: Pool\nmetadata: {name: sheds}\nspec: {copies: 3, keepers: 3}\n',
  check: ({ written, target }) =>
    written('Pool').flatMap((on) => {
      const nodes = target?.list('Node').length ?? Infinity;
      const { copies } = on.object.spec;
      return copies <= nodes
        ? []
        : [
            hit(
              on,
              ['spec', 'copies'],
              `${copies} copies on ${nodes} nodes.`,
              `Write ${nodes} or fewer.`,
              change(`Write ${nodes}`, on, { set: ['spec', 'copies'], value: nodes })
            )
          ];
    })
});
