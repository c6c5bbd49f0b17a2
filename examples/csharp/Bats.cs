// A little game that records itself: mcs -out:bats.exe Bats.cs ../../emitters/csharp/Lapsus.cs && mono bats.exe night.lapsus,
// or an address; then how many frames, a seed, and a small picture of the screen.
using System;
using System.Collections.Generic;
using System.Diagnostics;
using System.Threading;
using Lapsus;

static class Bats
{
    const int Count = 40;
    static long seed;
    static readonly SortedDictionary<string, long> Counts = new SortedDictionary<string, long>(StringComparer.Ordinal);

    /// <summary>From 0 on; the same in every language (Park and Miller).</summary>
    static int Dice(int sides)
    {
        seed = seed * 16807 % 2147483647;
        return (int)(seed % sides);
    }

    static void Tally(string what, long by = 1)
    {
        Counts[what] = (Counts.TryGetValue(what, out long known) ? known : 0) + by;
    }

    static long Ns()
    {
        return (long)(Stopwatch.GetTimestamp() * (1e9 / Stopwatch.Frequency));
    }

    static void Main(string[] arguments)
    {
        int frames = arguments.Length > 1 ? int.Parse(arguments[1]) : 300;
        seed = arguments.Length > 2 ? long.Parse(arguments[2]) : 1;
        byte[] screen = arguments.Length > 3 ? System.IO.File.ReadAllBytes(arguments[3]) : null;
        var conditions = new Dictionary<string, object> { ["build"] = "release", ["seed"] = seed };
        var probe = new Probe("Bats in C#", target: 60, to: arguments[0], conditions: conditions);
        int update = probe.Marker("bats.update", "simulation"), batUpdate = probe.Marker("bat.update", "simulation");
        int look = probe.Marker("look", tags: new[] { "search" }), check = probe.Marker("belt.check");
        int hunt = probe.Marker("hunt"), route = probe.Marker("route"), wait = probe.Marker("wait", kind: "wait:refresh");
        int bats = probe.GaugeId("bats"), mood = probe.WatchId("mood"), moth = probe.ClassId("moth", batUpdate);
        Updater[] moths = { probe.NewUpdater(moth), probe.NewUpdater(moth), probe.NewUpdater(moth) };
        Trial way = probe.NewTrial("hunt", new[] { "every pair", "every other pair" }, 10);
        Lane worker = probe.NewLane("worker");
        Counts["frames"] = frames;
        foreach (string what in new[] { "look", "moved", "yes", "born", "died", "changes", "others" }) Counts[what] = 0;

        for (int frame = 0; frame < frames; frame++)
        {
            probe.Frame();
            int steps = 1 + Dice(3);
            probe.Steps(steps);
            Tally("steps", steps);
            using (probe.Span(update))
            {
                Tally("bats.update");
                for (int bat = 0; bat < Count; bat++)
                {
                    probe.Enter(batUpdate);
                    Tally("bat.update");
                    if (Dice(4) == 0)
                        using (probe.Span(look)) Tally("look");
                    bool moved = Dice(3) != 0;
                    if (moved) Tally("moved");
                    probe.Leave(moved);
                }
            }
            for (int belt = 1; belt <= 3; belt++)
            {
                probe.Enter(check, belt);
                bool answer = Dice(2) == 0;
                Tally("belt.check");
                if (answer) Tally("yes");
                probe.Leave(answer);
            }
            long outer = Ns();
            probe.Enter(hunt);
            long inner = Ns();
            long sum = 0;
            bool other = way.Is("every other pair");
            if (other) Tally("others");
            for (int i = 0; i < 20000; i += other ? 2 : 1) sum += i;
            Tally("huntInnerNs", Ns() - inner + (sum < 0 ? 1 : 0));
            probe.Leave(true);
            Tally("huntOuterNs", Ns() - outer);
            Tally("hunt");
            probe.Gauge(bats, Count + frame % 7);
            Tally("bats", Count + frame % 7);
            if (frame % 10 == 0)
            {
                probe.Moment("bell", new Dictionary<string, object> { ["shift"] = frame / 10 });
                Tally("bells");
            }
            if (screen != null) probe.Picture(screen);
            for (int i = 0; i < 2; i++)
            {
                probe.Watch(mood, frame / 5);
                Tally("looks");
            }
            if (frame > 0 && frame % 5 == 0) Tally("changes");
            for (int i = Dice(3); i > 0; i--)
            {
                probe.Born(moth);
                Tally("born");
            }
            for (int i = Dice(2); i > 0; i--)
            {
                probe.Died(moth);
                Tally("died");
            }
            if (frame == 5) moths[0].Enable(false);
            if (frame == 8) moths[1].Idle("asleep");
            if (frame % 16 == 0)
            {
                long job = probe.Dispatch(route);
                var thread = new Thread(() =>
                {
                    worker.BeginJob(job, route);
                    worker.EndJob(job, route);
                });
                thread.Start();
                thread.Join();
                Tally("route");
            }
            using (probe.Span(wait)) Thread.Sleep(1);
            Tally("wait");
        }
        probe.Close();
        var said = new List<string>();
        foreach (var pair in Counts) said.Add("\"" + pair.Key + "\":" + pair.Value);
        Console.WriteLine("{" + string.Join(",", said) + "}");
    }
}
