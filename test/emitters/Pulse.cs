// A game that does little: frames of 10 ms, for so many ms; or 40 of them, with a rest of 0.3 s in between and at the end. Says how many there were.
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
        while (clock.ElapsedMilliseconds < ms || (given.Length > 2 && frames < 40))
        {
            probe.Frame();
            probe.Enter(beat);
            Thread.Sleep(10);
            probe.Leave();
            frames++;
            if (given.Length > 2 && frames == 20)
            {
                probe.Pause();
                probe.Moment("rest");
                Thread.Sleep(300);
            }
        }
        if (given.Length > 2)
        {
            probe.Stop();
            Thread.Sleep(300);
        }
        probe.Close();
        Console.WriteLine(frames);
    }
}
