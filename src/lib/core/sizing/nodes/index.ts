export { apartWays, nodesAskSchema, packAskSchema, readNodesAsk, type NodesAsk, type NodesAsked, type PackAsk } from './ask';
export { nodeFit, type NodeFit, type NodeGroup } from './packing';
export { takenNodes } from './take';
export { putNodes } from './put';
