export { apartWays, nodesAskSchema, readNodesAsk, type NodesAsk, type NodesAsked } from './ask';
export { nodeFit, type NodeFit, type NodeGroup } from './packing';
export { takenNodes } from './take';
export { putNodes } from './put';
