import { plainText } from '../../shared';
import { join, service, set } from '../examples';
import { rule, nearest } from '../rule';

export default rule({
  id: 'mount-without-volume',
  level: 'error',
  title: 'A mount names no volume',
  why: "A mount must name a volume of its pod, or one of its set's claim templates. A letter apart is enough for the pod never to be made.",
  bad: join(service(), set({ mounts: '[{name: date, mountPath: /data}]', claim: undefined })),
  good: join(service(), set()),
  repair({ written, path }) {
    const value = path.reduce<unknown>((at, step) => (at as Record<string, unknown> | undefined)?.[step], written.value);
    const spec = written.value.spec as {
      volumes?: { name: string }[];
      template?: { spec?: { volumes?: { name: string }[] } };
      volumeClaimTemplates?: { metadata: { name: string } }[];
    };
    const names = [
      ...(spec.volumes ?? spec.template?.spec?.volumes ?? []).map((one) => one.name),
      ...(spec.volumeClaimTemplates ?? []).map((one) => one.metadata.name)
    ];
    const near = nearest(plainText(value), names) ?? (names.length === 1 ? names[0] : undefined);
    return near === undefined ? undefined : { says: `Write ${near}`, own: [{ set: path, value: near }] };
  }
});
