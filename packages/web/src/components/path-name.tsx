/** A path by its last two markers; all of it as a tooltip. */
export const PathName = ({ path }: { path: readonly string[] }) => (
  <span title={path.join(' › ')} className="block truncate">
    {path.length > 1 && <span className="text-faint">{path.at(-2)} › </span>}
    {path.at(-1)}
  </span>
)
