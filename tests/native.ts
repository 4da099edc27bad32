import { computeWith } from '$core/shared';
import { nativeBytes } from '$server/rehearsals/native-bytes';

computeWith(nativeBytes);
