import { ruleOf } from './check';
import type { Finding, Level } from './types';

const levels: Record<Level, 'error' | 'warning' | 'note'> = { error: 'error', warning: 'warning', note: 'note' };

/**
 * Findings as a SARIF log. Source: OASIS, Static Analysis Results Interchange Format (SARIF) Version 2.1.0.
 * @param findings what the checker said
 * @param file the name of the file where findings name none
 */
export function sarifOf(findings: readonly Finding[], file = 'manifests.yaml') {
  const codes = [...new Set(findings.map((one) => one.code))].sort();
  return {
    $schema: 'https://docs.oasis-open.org/sarif/sarif/v2.1.0/os/schemas/sarif-schema-2.1.0.json',
    version: '2.1.0' as const,
    runs: [
      {
        tool: {
          driver: {
            name: 'Root Barn',
            rules: codes.map((code) => {
              const rule = ruleOf(code);
              return {
                id: code,
                ...(rule
                  ? {
                      shortDescription: { text: rule.title },
                      fullDescription: { text: rule.why },
                      defaultConfiguration: { level: levels[rule.level] }
                    }
                  : {})
              };
            })
          }
        },
        columnKind: 'utf16CodeUnits' as const,
        results: findings.map((one) => ({
          ruleId: one.code,
          ruleIndex: codes.indexOf(one.code),
          level: levels[one.severity],
          message: { text: `${one.message} ${one.remedy}`.trim() },
          ...(one.accepted
            ? { suppressions: [{ kind: 'external' as const, status: 'accepted' as const, justification: one.accepted.reason }] }
            : {}),
          locations: [
            {
              physicalLocation: {
                artifactLocation: { uri: encodeURI(one.at.file ?? file) },
                ...(one.at.line ? { region: { startLine: one.at.line, startColumn: one.at.column ?? 1 } } : {})
              },
              ...(one.at.object ? { logicalLocations: [{ fullyQualifiedName: one.at.object, kind: 'object' }] } : {})
            }
          ]
        }))
      }
    ]
  };
}
