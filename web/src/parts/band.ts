/** A series that fills what lies between two values at each place, on any axis. */
export const band = (name: string, data: [number, number, number][], colour: string, opacity = 0.22) => ({
  name,
  type: "custom",
  silent: true,
  z: 1,
  color: colour,
  data,
  encode: { x: 0, y: [1, 2] },
  renderItem: (
    p: { dataIndex: number },
    api: { value: (i: number, at?: number) => number; coord: (p: number[]) => [number, number] },
  ) => {
    const own = data[p.dataIndex];
    if (!own || Number.isNaN(own[1])) return null;
    const before = data[p.dataIndex - 1];
    let next = data[p.dataIndex + 1];
    if (!next || Number.isNaN(next[1])) {
      if (before && !Number.isNaN(before[1])) return null; // it ends there
      next = [own[0] + 0.5, own[1], own[2]]; // by itself
    }
    return {
      type: "polygon",
      shape: {
        points: [
          api.coord([own[0], own[2]]),
          api.coord([next[0], next[2]]),
          api.coord([next[0], next[1]]),
          api.coord([own[0], own[1]]),
        ],
      },
      style: { fill: colour, opacity },
    };
  },
});

/** A band's key in a legend. */
export const bandKey = (name: string) => ({ name, icon: "path://M0 0h22v8h-22z" });
