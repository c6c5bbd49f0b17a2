/** Reads an answer and keeps nothing of it. @param isEnough stops reading */
export async function readAll({ body }: Response, isEnough: () => boolean = () => false): Promise<void> {
  const reader = body!.getReader()
  while (!isEnough() && !(await reader.read()).done);
  await reader.cancel()
}
