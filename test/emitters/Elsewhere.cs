// A game whose loop runs on another thread than what began the recording.
using System.Threading;

static class Elsewhere
{
    static void Main(string[] arguments)
    {
        var probe = new Lapsus.Probe("Elsewhere", to: arguments[0]);
        var thread = new Thread(() =>
        {
            for (int frame = 0; frame < 100; frame++)
            {
                probe.Frame();
                Thread.SpinWait(200000);
            }
            probe.Close();
        });
        thread.Start();
        thread.Join();
    }
}
