// A game that does little: frames of 10 ms, for so many ms. Says how many there were.
using System;
using System.Diagnostics;
using System.Threading;

static class Pulse
{
    static void Main(string[] given)
    {
        var probe = new Lapsus.Probe("Pulse", to: given[0]);
        int beat = probe.Marker("beat"), frames = 0, ms = int.Parse(given[1]);
        var clock = Stopwatch.StartNew();
        while (clock.ElapsedMilliseconds < ms)
        {
            probe.Frame();
            probe.Enter(beat);
            Thread.Sleep(10);
            probe.Leave();
            frames++;
        }
        probe.Close();
        Console.WriteLine(frames);
    }
}
