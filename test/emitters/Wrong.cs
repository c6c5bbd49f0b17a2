// A game that says everything wrong: nothing of it may be thrown into the game.
using System;
using System.Collections.Generic;
using Lapsus;

static class Wrong
{
    static void Main(string[] arguments)
    {
        var odd = new Dictionary<string, object> { ["seed"] = "x", ["odd"] = new object(), ["none"] = null };
        var probe = new Probe(null, target: double.NaN, to: arguments[0], conditions: odd);
        int update = probe.Marker("update", kind: "nonsense", watches: new[] { 99, -1 });
        probe.Marker(null, null, null);
        probe.Leave();
        for (int frame = 0; frame < 3; frame++)
        {
            probe.Frame();
            foreach (int marker in new[] { 12345, -1, int.MaxValue, int.MinValue })
            {
                probe.Enter(marker);
                probe.Leave(true);
            }
            probe.Enter(update, -1);
            probe.Leave();
            if (frame == 0)
            {
                probe.Leave();
                probe.Enter(update);
                probe.Watch(77, 1);
                probe.Born(55);
                probe.Moment("odd", new Dictionary<string, object> { ["good"] = 1, ["bad"] = double.NaN, ["worse"] = null });
                probe.Picture(new byte[] { 0xff, 0xd8, 0xff, 0xe0, 0, 0, 0, 0, 0, 0, 0, 0 });
                probe.Picture(null);
            }
            probe.Gauge(-5, 1);
            probe.Gauge(0, double.NaN);
            probe.Gauge(99, 1);
            probe.Steps(-1);
            int watch = probe.WatchId(null);
            probe.Watch<object>(watch, null);
            probe.Watch(watch, "text");
            probe.NewUpdater(99).Idle(null);
            probe.NewTrial("one", new[] { "only" }).Is("none");
            probe.BeginJob(-1, update);
            probe.EndJob(0, -1);
        }
        probe.Close();
        probe.Frame();
        probe.Enter(update);
        probe.Leave();
        probe.Close();
        Console.WriteLine("the game goes on");
    }
}
