// Records a running game: frames, nested markers and what the game says of itself, to a file or to a running Lapsus.
//
//     var probe = new Lapsus.Probe("My Game", target: 60, to: "127.0.0.1:4780"); // or to: "night.lapsus"
//     int update = probe.Marker("update", group: "simulation");
//     int wait = probe.Marker("wait", kind: "wait:refresh");
//
//     while (playing) {
//         probe.Frame();
//         using (probe.Span(update)) Update();
//         using (probe.Span(wait)) Wait();
//     }
//     probe.Close();
//
// One file, C# 7, nothing but the base library; no allocation per span once warm. No call throws into the game: what is
// wrong is mended or left out, counted, and shown with the take. The format is that of docs/format.md.

#pragma warning disable SYSLIB0014 // HttpWebRequest is there in every runtime, old and new.

using System;
using System.Collections.Generic;
using System.Diagnostics;
using System.Globalization;
using System.IO;
using System.IO.Compression;
using System.Net;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using System.Text;
using System.Text.RegularExpressions;
using System.Threading;

namespace Lapsus
{
    public static class Emitter
    {
        public const string Version = "0.2.0";
    }

    /// <summary>The spans of one thread. Only that thread may enter and leave them.</summary>
    public class Lane
    {
        internal const int MostDepth = 255, MostSpans = 200000;
        /// <summary>What is taken from the thread of another lane is asked no more often, ns.</summary>
        private const long AskNs = 1000000;

        internal Probe probe;
        internal readonly int Number;
        internal Spans Own = new Spans(), Done = new Spans();
        private readonly int[] open = new int[MostDepth + 1];
        private int depth, skipped;
        private ReadyTime ready;
        private long asked;
        /// <summary>What the system has taken from its thread, ns, since a frame was last told; -1 where nobody tells.</summary>
        internal long Taken = -1;
        internal int TakenGauge = -1;

        internal Lane(Probe probe, int number)
        {
            this.probe = probe;
            Number = number;
        }

        /// <summary>Begins a run of a marker. The key says what the run is about, from 1; 0 is nothing.</summary>
        public void Enter(int marker, long key = 0)
        {
            if (!probe.On) return;
            if (depth > MostDepth || Own.Count >= MostSpans)
            {
                skipped++;
                return;
            }
            if ((uint)marker >= (uint)probe.MarkerCount)
            {
                probe.Problem("markers were none");
                marker = probe.Marker("(no marker)", file: "");
            }
            if (key < 0 || key > uint.MaxValue)
            {
                probe.Problem("keys were none");
                key = 0;
            }
            int at = Own.Add(marker, depth, (uint)key);
            open[depth++] = at;
            Own.Start[at] = Probe.Now();
        }

        /// <summary>Ends the run that was entered last.</summary>
        public void Leave()
        {
            End(Probe.Now(), 0);
        }

        /// <summary>Ends it and says whether it changed anything; for a run with a key, its answer.</summary>
        public void Leave(bool changed)
        {
            End(Probe.Now(), changed ? (byte)2 : (byte)1);
        }

        private void End(long now, byte effect)
        {
            if (!probe.On) return;
            if (skipped > 0)
            {
                skipped--;
                return;
            }
            if (depth == 0)
            {
                probe.Repaired();
                return;
            }
            int at = open[--depth];
            Own.Duration[at] = now - Own.Start[at];
            Own.Effect[at] = effect;
            if (effect != 0) Own.HasEffect = true;
            if (depth == 0 && Number != 0) HandOver(now);
        }

        private void HandOver(long now)
        {
            long taken = AskTaken(now);
            lock (this)
            {
                if (taken >= 0) Taken = Math.Max(0, Taken) + taken;
                if (Done.Count + Own.Count <= 4 * MostSpans) Done.AddAll(Own);
                else probe.Problem("runs on other lanes were too many");
            }
            Own.Clear();
        }

        /// <summary>ns since it was last asked; -1 where it is not to be asked.</summary>
        private long AskTaken(long now)
        {
            bool isFirst = ready == null;
            if (isFirst || !ready.IsOfThisThread)
            {
                if (!isFirst) ready.Close();
                ready = new ReadyTime();
            }
            else if (now - asked < AskNs) return -1;
            asked = now;
            long taken = ready.Taken();
            // Before its lane there was nothing to be taken from.
            return isFirst ? Math.Min(taken, 0) : taken;
        }

        internal void CloseAll()
        {
            for (; depth > 0; probe.Repaired()) Leave();
            skipped = 0;
        }

        /// <summary>`using (probe.Span(update)) Update();` What is thrown inside passes through.</summary>
        public Run Span(int marker, long key = 0)
        {
            Enter(marker, key);
            return new Run(this);
        }

        /// <summary>Begins a run of a job that was dispatched, on this thread.</summary>
        public void BeginJob(long job, int marker)
        {
            probe.JobEvent(job, 1, Number, marker);
            Enter(marker);
        }

        public void EndJob(long job, int marker)
        {
            Leave();
            probe.JobEvent(job, 2, Number, marker);
        }
    }

    public struct Run : IDisposable
    {
        private readonly Lane lane;

        internal Run(Lane lane)
        {
            this.lane = lane;
        }

        public void Dispose()
        {
            lane.Leave();
        }
    }

    /// <summary>How long this thread stood ready while the system ran something else, where Linux tells it.</summary>
    internal sealed class ReadyTime
    {
        private const string Place = "/proc/thread-self/schedstat";
        private readonly Thread thread = Thread.CurrentThread;
        private readonly byte[] text = new byte[100];
        private FileStream file;
        private long last;

        internal ReadyTime()
        {
            try
            {
                // With a buffer the same figures would be read again and again.
                if (File.Exists(Place)) file = new FileStream(Place, FileMode.Open, FileAccess.Read, FileShare.ReadWrite, 1);
            }
            catch (Exception)
            {
                file = null;
            }
        }

        internal bool IsOfThisThread
        {
            get { return thread == Thread.CurrentThread; }
        }

        /// <summary>ns since the last call; -1 where it is not known.</summary>
        internal long Taken()
        {
            if (file == null) return -1;
            try
            {
                file.Seek(0, SeekOrigin.Begin);
                int size = file.Read(text, 0, text.Length);
                // The second of three figures.
                int at = Array.IndexOf(text, (byte)' ', 0, size) + 1;
                if (at > 0)
                {
                    long before = last;
                    for (last = 0; at < size && text[at] >= '0' && text[at] <= '9'; at++) last = 10 * last + text[at] - '0';
                    return last - before;
                }
            }
            catch (Exception)
            {
                // It tells no more.
            }
            Close();
            return -1;
        }

        internal void Close()
        {
            if (file != null) file.Dispose();
            file = null;
        }
    }

    /// <summary>Columns of spans, which grow by doubling and are used again.</summary>
    internal sealed class Spans
    {
        internal int Count;
        internal bool HasEffect, HasKey;
        internal int[] Marker = new int[1024];
        internal long[] Start = new long[1024], Duration = new long[1024];
        internal byte[] Depth = new byte[1024], Effect = new byte[1024];
        internal uint[] Key = new uint[1024];

        internal int Add(int marker, int depth, uint key)
        {
            if (Count == Marker.Length) Grow(2 * Count);
            Marker[Count] = marker;
            Depth[Count] = (byte)depth;
            Effect[Count] = 0;
            Duration[Count] = 0;
            Key[Count] = key;
            if (key != 0) HasKey = true;
            return Count++;
        }

        internal void AddAll(Spans other)
        {
            if (Count + other.Count > Marker.Length) Grow(Math.Max(2 * Marker.Length, Count + other.Count));
            Array.Copy(other.Marker, 0, Marker, Count, other.Count);
            Array.Copy(other.Start, 0, Start, Count, other.Count);
            Array.Copy(other.Duration, 0, Duration, Count, other.Count);
            Array.Copy(other.Depth, 0, Depth, Count, other.Count);
            Array.Copy(other.Effect, 0, Effect, Count, other.Count);
            Array.Copy(other.Key, 0, Key, Count, other.Count);
            HasEffect |= other.HasEffect;
            HasKey |= other.HasKey;
            Count += other.Count;
        }

        internal void Clear()
        {
            Count = 0;
            HasEffect = HasKey = false;
        }

        private void Grow(int size)
        {
            Array.Resize(ref Marker, size);
            Array.Resize(ref Start, size);
            Array.Resize(ref Duration, size);
            Array.Resize(ref Depth, size);
            Array.Resize(ref Effect, size);
            Array.Resize(ref Key, size);
        }
    }

    /// <summary>One thing that the loop updates.</summary>
    public sealed class Updater
    {
        internal bool Enabled = true, Unseen, Far, Asleep;
        internal double Ms;
        private readonly Probe probe;
        private readonly int number;

        internal Updater(Probe probe, int number, double everyMs)
        {
            this.probe = probe;
            this.number = number;
            Every(everyMs);
        }

        public void Enable(bool enabled)
        {
            Enabled = enabled;
            probe.UpdatersChanged(number);
        }

        /// <summary>Ms between its updates; 0 is every frame.</summary>
        public void Every(double ms)
        {
            Ms = ms > 0 && !double.IsInfinity(ms) ? ms : 0;
            probe.UpdatersChanged(number);
        }

        /// <summary>Whether it need not be updated now: "unseen", "far" or "asleep".</summary>
        public void Idle(string why, bool isIdle = true)
        {
            if (why == "unseen") Unseen = isIdle;
            else if (why == "far") Far = isIdle;
            else if (why == "asleep") Asleep = isIdle;
            else probe.Problem("reasons to be idle were none");
            probe.UpdatersChanged(number);
        }

        public void Dispose()
        {
            probe.Forget(this, number);
        }
    }

    /// <summary>Ways of doing the same, used in turn: `if (seek.Is("near")) …`.</summary>
    public sealed class Trial
    {
        private readonly Probe probe;
        private readonly string[] variants;
        private readonly int frames;
        private readonly List<int> round = new List<int>();
        private int left, now;
        internal int GaugeId = -1;

        internal Trial(Probe probe, string[] variants, int frames)
        {
            this.probe = probe;
            this.variants = variants;
            this.frames = Math.Max(1, frames);
        }

        public bool Is(string variant)
        {
            return now < variants.Length && variants[now] == variant;
        }

        internal void Turn(Random random)
        {
            if (left == 0)
            {
                if (round.Count == 0)
                    for (int i = 0; i < variants.Length; i++) round.Insert(random.Next(round.Count + 1), i);
                now = round[round.Count - 1];
                round.RemoveAt(round.Count - 1);
                left = frames;
            }
            left--;
            probe.Gauge(GaugeId, now);
        }
    }

    /// <summary>Records the thread that calls Frame(); other threads record on a lane of their own.</summary>
    public sealed class Probe : Lane
    {
        private const long ChunkNs = 500000000;
        private const int ChunkSpans = 60000, MostMarkers = 16384, MostLanes = 256, MostNames = 1024, MostName = 200, MostFile = 1000;
        private const int MostData = 16384, MostJobEvents = 60000, MostMoments = 60000, MostProblems = 64;
        private const int MostPictures = 64, PictureBytes = 49152, PictureWidth = 320;
        private const long PictureNs = 500000000;
        private const string Folded = "(more than a take may have)";
        private static readonly string[] Kinds =
            { "work", "wait:refresh", "wait:graphics", "wait:job", "wait:io", "collect" };
        private static readonly double NsPerTick = 1e9 / Stopwatch.Frequency;

        internal volatile bool On;
        /// <summary>Said on another thread than that of the loop, whose next frame heeds it.</summary>
        private volatile bool stopWished;
        private bool paused;
        private string stretchAt;
        internal int MarkerCount;
        private readonly object declaring = new object();
        private readonly Dictionary<string, int> markers = new Dictionary<string, int>();
        private readonly Names lanes = new Names(), gauges = new Names(), watches = new Names(), classes = new Names();
        private readonly List<Lane> others = new List<Lane>();
        private readonly Dictionary<string, long> problems = new Dictionary<string, long>();
        private readonly Dictionary<int, HashSet<Updater>> updaters = new Dictionary<int, HashSet<Updater>>();
        private readonly HashSet<int> changedUpdaters = new HashSet<int>();
        private readonly List<Trial> trials = new List<Trial>();
        private readonly Dictionary<int, object> watched = new Dictionary<int, object>();
        private readonly Random random = new Random();
        private readonly Action<string> tell;
        private readonly int[] collections = new int[3];
        private readonly List<byte[]> allMarkers = new List<byte[]>();
        private List<byte[]> freshMarkers = new List<byte[]>();
        private List<JobRow> jobs = new List<JobRow>();
        private Chunk chunk = new Chunk();
        private ISink sink;
        private long origin, frameStart = -1, sequence, dropped, lastPicture = long.MinValue / 2;
        private int repaired, collect, heap, send;
        private long jobCount;

        private ReadyTime loopReady;

        // Of the frame.
        private readonly Dictionary<int, double> frameGauges = new Dictionary<int, double>();
        private readonly Dictionary<int, long[]> frameWatches = new Dictionary<int, long[]>();
        private readonly Dictionary<int, double[]> frameLives = new Dictionary<int, double[]>();
        private long frameSteps;

        /// <param name="to">Address of a running Lapsus, a file path, or null: then every call costs one test.</param>
        /// <param name="conditions">build, device, scene, seed, load, version; anything else goes under "more".</param>
        /// <param name="onProblem">Told what goes wrong with the recording; by default it is written to stderr.</param>
        public Probe(string game, double target = 60, string to = null, string key = null,
            IDictionary<string, object> conditions = null, string take = null, int bufferMb = 64,
            Action<string> onProblem = null) : base(null, 0)
        {
            probe = this;
            tell = onProblem ?? (words => Console.Error.WriteLine("lapsus: " + words));
            try
            {
                string own = Environment.GetEnvironmentVariable("LAPSUS_TO");
                to = string.IsNullOrEmpty(own) ? to : own;
                if (string.IsNullOrEmpty(to)) return;
                // The address of a stream is that of its Lapsus.
                to = to.Replace("ws://", "http://").Replace("wss://", "https://");
                Begin(game, target, to, key ?? Environment.GetEnvironmentVariable("LAPSUS_KEY"), conditions,
                    take ?? Environment.GetEnvironmentVariable("LAPSUS_TAKE"), bufferMb);
            }
            catch (Exception error)
            {
                tell("nothing is recorded: " + error.Message);
            }
        }

        internal static long Now()
        {
            return (long)(Stopwatch.GetTimestamp() * NsPerTick);
        }

        private void Begin(string game, double target, string to, string key, IDictionary<string, object> conditions,
            string take, int bufferMb)
        {
            lanes.Add("main", null);
            Calibration cost = Calibrate();
            origin = Now();
            string writer = Guid.NewGuid().ToString("N").Substring(0, 16);
            take = string.IsNullOrEmpty(take) ? Guid.NewGuid().ToString() : take;
            var said = new SortedDictionary<string, object>(StringComparer.Ordinal) { ["device"] = NameOf(Environment.MachineName) };
            var more = new SortedDictionary<string, object>(StringComparer.Ordinal);
            foreach (var pair in conditions ?? new Dictionary<string, object>())
            {
                if (Array.IndexOf(new[] { "build", "device", "scene", "load", "version" }, pair.Key) >= 0)
                    said[pair.Key] = NameOf(Convert.ToString(pair.Value, CultureInfo.InvariantCulture));
                else if (pair.Key == "seed" && IsNumber(pair.Value)) said["seed"] = pair.Value;
                else more[pair.Key] = pair.Value;
            }
            said["mode"] = "timing";
            said["runtime"] = NameOf(".NET " + Environment.Version);
            said["probe"] = "Lapsus.cs " + Emitter.Version;
            said["recorder"] = new SortedDictionary<string, object>(StringComparer.Ordinal)
            {
                ["spanNs"] = cost.SpanNs, ["clockReadNs"] = cost.ReadNs, ["clockResolutionNs"] = cost.StepNs,
                ["insideNs"] = Math.Min(cost.InsideNs, cost.SpanNs),
            };
            IDictionary<string, object> kept = Scalars(more);
            if (kept.Count > 0) said["more"] = kept;
            string started = Utc();
            Func<string, string, long, byte[]> headOf = (identity, continued, after) =>
            {
                var fields = new SortedDictionary<string, object>(StringComparer.Ordinal)
                {
                    ["record"] = "take", ["lapsus"] = 1L, ["take"] = identity, ["game"] = NameOf(game), ["writer"] = writer,
                    ["target"] = target > 0 && target <= 10000 ? target : 60.0, ["started"] = started, ["conditions"] = said,
                };
                if (continued != null)
                {
                    fields["continues"] = continued;
                    fields["after"] = after;
                }
                var head = new Cbor();
                head.Head(6, 55799);
                head.Any(fields);
                return head.Bytes();
            };
            sink = IsAddress(to)
                ? (ISink)new Stream(to, key, take, writer, headOf, number => Declared(number, true), (long)bufferMb << 20, tell,
                    () => On = false, () => stopWished = true)
                : new FileSink(to, headOf(take, null, 0));
            collect = Marker("gc", "runtime", "collect", new[] { "suspected" }, file: "");
            send = Marker("recorder.send", "recorder", file: "");
            heap = GaugeId("heap", "bytes");
            On = true;
            AppDomain.CurrentDomain.ProcessExit += OnExit;
        }

        private static string Utc()
        {
            return DateTime.UtcNow.ToString("yyyy-MM-ddTHH:mm:ssZ", CultureInfo.InvariantCulture);
        }

        private void OnExit(object sender, EventArgs arguments)
        {
            Close();
        }

        private static bool IsAddress(string to)
        {
            return Regex.IsMatch(to, "^https?://") || Regex.IsMatch(to, @"^[^/\\:]{2,}:\d+$");
        }

        // ---- declared once ----

        /// <summary>A place in the code, never an entity. The compiler fills in which one: file and line.</summary>
        /// <returns>Its number, to enter it by.</returns>
        public int Marker(string name, string group = "", string kind = "work", string[] tags = null, int[] watches = null,
            [CallerFilePath] string file = "", [CallerLineNumber] int line = 0)
        {
            name = NameOf(name);
            group = Cut(group ?? "");
            if (Array.IndexOf(Kinds, kind) < 0)
            {
                Problem("kinds of markers are not known", kind ?? "");
                kind = "work";
            }
            lock (declaring)
            {
                string known = kind + "\n" + group + "\n" + name;
                if (markers.TryGetValue(known, out int id)) return id;
                if (MarkerCount >= MostMarkers - 1 && name != Folded) return Marker(Folded, file: "");
                id = MarkerCount;
                markers[known] = id;
                var said = new SortedDictionary<string, object>(StringComparer.Ordinal)
                    { ["id"] = (long)id, ["name"] = name, ["group"] = group, ["kind"] = kind };
                if (tags != null && tags.Length > 0)
                {
                    var own = new List<object>();
                    for (int i = 0; i < Math.Min(16, tags.Length); i++) own.Add(NameOf(tags[i]));
                    said["tags"] = own;
                }
                if (watches != null)
                {
                    var own = new List<object>();
                    foreach (int watch in watches) if ((uint)watch < (uint)this.watches.Count) own.Add((long)watch);
                    if (own.Count > 0) said["watches"] = own;
                }
                file = FromHere(file ?? "");
                if (file != "" && file.Length <= MostFile && line > 0)
                    said["at"] = new SortedDictionary<string, object>(StringComparer.Ordinal)
                        { ["file"] = file, ["line"] = (long)line };
                var out_ = new Cbor();
                out_.Any(said);
                freshMarkers.Add(out_.Bytes());
                allMarkers.Add(out_.Bytes());
                MarkerCount++;
                return id;
            }
        }

        /// <summary>Below the folder that the game was started in a file is named from there.</summary>
        private static string FromHere(string file)
        {
            string here = Environment.CurrentDirectory.Replace('\\', '/').TrimEnd('/') + "/";
            file = file.Replace('\\', '/');
            return file.StartsWith(here, StringComparison.Ordinal) ? file.Substring(here.Length) : file;
        }

        private int Declared(Names names, string name, int most, Action<IDictionary<string, object>> more)
        {
            lock (declaring)
            {
                name = NameOf(name);
                if (names.Find(name, out int id)) return id;
                if (names.Count >= most - 1 && name != Folded) return Declared(names, Folded, most, null);
                return names.Add(name, more);
            }
        }

        public int GaugeId(string name, string unit = "")
        {
            return Declared(gauges, name, MostNames, said => { if (unit != "") said["unit"] = Cut(unit); });
        }

        public int WatchId(string name)
        {
            return Declared(watches, name, MostNames, null);
        }

        /// <param name="marker">Of each update of one, for classes with updaters.</param>
        public int ClassId(string name, int marker = -1)
        {
            return Declared(classes, name, MostNames,
                said => { if ((uint)marker < (uint)MarkerCount) said["marker"] = (long)marker; });
        }

        /// <summary>The lane of another thread, on which that thread enters and leaves.</summary>
        public Lane NewLane(string name)
        {
            int number = Declared(lanes, name, MostLanes, null);
            lock (others)
            {
                foreach (Lane known in others) if (known.Number == number) return known;
                var lane = new Lane(this, number);
                others.Add(lane);
                return lane;
            }
        }

        private string NameOfLane(int number)
        {
            lock (declaring) return lanes.NameOf(number);
        }

        public Trial NewTrial(string name, string[] variants, int frames = 60)
        {
            var names = new List<string>();
            foreach (string variant in variants ?? new string[0])
                if (names.Count < 16 && !names.Contains(NameOf(variant))) names.Add(NameOf(variant));
            var trial = new Trial(this, names.ToArray(), frames);
            if (names.Count < 2)
            {
                Problem("trials have fewer than two variants", NameOf(name));
                return trial;
            }
            trial.GaugeId = Declared(gauges, name, MostNames, said => said["variants"] = new List<object>(names));
            trials.Add(trial);
            return trial;
        }

        public Updater NewUpdater(int number, double everyMs = 0)
        {
            if ((uint)number >= (uint)classes.Count)
            {
                Problem("updaters are of no class");
                number = ClassId("(no class)");
            }
            var updater = new Updater(this, number, everyMs);
            if (!updaters.TryGetValue(number, out HashSet<Updater> all)) updaters[number] = all = new HashSet<Updater>();
            all.Add(updater);
            return updater;
        }

        internal void UpdatersChanged(int number)
        {
            changedUpdaters.Add(number);
        }

        internal void Forget(Updater updater, int number)
        {
            if (updaters.TryGetValue(number, out HashSet<Updater> all)) all.Remove(updater);
            changedUpdaters.Add(number);
        }

        // ---- said in a frame ----

        /// <summary>Its value in this frame; the last one counts.</summary>
        public void Gauge(int number, double value)
        {
            if (!On) return;
            if (double.IsNaN(value) || double.IsInfinity(value) || (uint)number >= (uint)gauges.Count)
                Problem("values were not numbers", "gauge " + number);
            else frameGauges[number] = value;
        }

        public void Moment(string name, IDictionary<string, object> data = null)
        {
            if (!On || chunk.Moments.Count >= MostMoments) return;
            var said = new SortedDictionary<string, object>(StringComparer.Ordinal)
                { ["name"] = NameOf(name), ["at"] = Now() - origin };
            if (data != null)
            {
                IDictionary<string, object> kept = Scalars(data);
                if (kept.Count < data.Count) Problem("data of moments were left out", NameOf(name));
                if (kept.Count > 0) said["data"] = kept;
            }
            chunk.Moments.Add(said);
        }

        /// <summary>
        /// Of the screen: a PNG, JPEG or WebP, at most 320 pixels wide and 48 kB. Two a second are kept, so give it once a frame.
        /// </summary>
        public void Picture(byte[] bytes)
        {
            long now = Now();
            if (!On || frameStart < 0 || now - lastPicture < PictureNs) return;
            lastPicture = now;
            int width = bytes == null || bytes.Length > PictureBytes ? 0 : PictureHead.WidthOf(bytes);
            if (width == 0 || width > PictureWidth) Problem("pictures could not be made, or were too large");
            else if (chunk.Pictures.Count < MostPictures)
                chunk.Pictures.Add(new KeyValuePair<long, byte[]>(now - origin, (byte[])bytes.Clone()));
        }

        /// <summary>Fixed steps run in this frame.</summary>
        public void Steps(int count)
        {
            if (count >= 0) frameSteps = count;
            else Problem("steps were not whole numbers");
        }

        /// <summary>Looks at a watched value: looks and changes are counted.</summary>
        public void Watch<T>(int number, T value)
        {
            if (!On) return;
            if ((uint)number >= (uint)watches.Count)
            {
                Problem("watched values are none");
                return;
            }
            if (!frameWatches.TryGetValue(number, out long[] looks)) frameWatches[number] = looks = new long[2];
            looks[0]++;
            if (!watched.TryGetValue(number, out object known) || !(known is Box<T> box))
            {
                if (known != null) looks[1]++;
                watched[number] = new Box<T> { Value = value };
            }
            else if (!EqualityComparer<T>.Default.Equals(box.Value, value))
            {
                looks[1]++;
                box.Value = value;
            }
        }

        private sealed class Box<T>
        {
            internal T Value;
        }

        public void Born(int number, double bytes = 0)
        {
            double[] lives = Lives(number);
            if (lives == null) return;
            lives[0]++;
            if (bytes > 0 && !double.IsInfinity(bytes)) lives[2] += bytes;
        }

        public void Died(int number)
        {
            double[] lives = Lives(number);
            if (lives != null) lives[1]++;
        }

        private double[] Lives(int number)
        {
            if (!On) return null;
            if ((uint)number >= (uint)classes.Count)
            {
                Problem("lives are of no class");
                return null;
            }
            if (!frameLives.TryGetValue(number, out double[] lives)) frameLives[number] = lives = new double[3];
            return lives;
        }

        /// <summary>Hands work to another thread.</summary>
        /// <returns>The job's number, for BeginJob there and Enter(join, job) here.</returns>
        public long Dispatch(int marker)
        {
            long job = Interlocked.Increment(ref jobCount);
            JobEvent(job, 0, 0, marker);
            return job;
        }

        private struct JobRow
        {
            internal long Job, At;
            internal int Event, Lane, Marker;
        }

        internal void JobEvent(long job, int what, int lane, int marker)
        {
            if (!On || job <= 0 || job > uint.MaxValue || (uint)marker >= (uint)MarkerCount) return;
            long at = Now() - origin;
            lock (problems)
            {
                if (jobs.Count < MostJobEvents)
                    jobs.Add(new JobRow { Job = job, Event = what, Lane = lane, Marker = marker, At = at });
            }
        }

        // ---- frames ----

        /// <summary>At the top of each turn of the loop: closes the last frame, opens the next.</summary>
        public void Frame()
        {
            if (stopWished) Stop();
            if (!On) return;
            try
            {
                NextFrame();
            }
            catch (Exception error)
            {
                On = false;
                tell("the recording ends: " + error.Message);
            }
        }

        /// <summary>Ends the open frame where it stands: there is none until the next Frame(). For a loop that rests.</summary>
        public void Pause()
        {
            if (!On || frameStart < 0) return;
            try
            {
                CloseFrame(Now());
                NewFrame();
                frameStart = -1;
                // What is said from here on belongs to the chunk after the pause.
                if (chunk.Frames > 0) SendChunk();
                paused = true;
            }
            catch (Exception error)
            {
                On = false;
                tell("the recording ends: " + error.Message);
            }
        }

        private void NewFrame()
        {
            Own.Clear();
            frameGauges.Clear();
            frameWatches.Clear();
            frameLives.Clear();
            frameSteps = 0;
        }

        private void NextFrame()
        {
            long now = Now();
            bool isFirst = frameStart < 0;
            if (isFirst)
            {
                NoteCollections();
                if (loopReady != null) loopReady.Close();
                loopReady = new ReadyTime();
                loopReady.Taken();
                Own.Clear();
                // What was said in a pause belongs to the frame after it, which begins a stretch.
                if (paused) stretchAt = Utc();
                else NewFrame();
                paused = false;
            }
            else
            {
                CloseFrame(now);
                NewFrame();
            }
            frameStart = now;
            if (!isFirst && (now - origin - chunk.FirstStart >= ChunkNs || chunk.Spans >= ChunkSpans) && chunk.Frames > 0)
            {
                int at = Own.Add(send, 0, 0);
                Own.Start[at] = now;
                SendChunk();
                Own.Duration[at] = Now() - now;
            }
            foreach (Trial trial in trials) trial.Turn(random);
        }

        /// <summary>Whether a collection took place since the last call.</summary>
        private bool NoteCollections()
        {
            bool anew = false;
            for (int generation = 0; generation < collections.Length; generation++)
            {
                int count = generation <= GC.MaxGeneration ? GC.CollectionCount(generation) : 0;
                anew |= count != collections[generation];
                collections[generation] = count;
            }
            return anew;
        }

        private void CloseFrame(long now)
        {
            CloseAll();
            long taken = loopReady.Taken();
            if (sink.IsFull)
            {
                // Whole frames are left out, never parts of one.
                dropped++;
                return;
            }
            if (NoteCollections())
            {
                // That there was one is known, its pause is not.
                int at = Own.Add(collect, 0, 0);
                Own.Start[at] = now;
            }
            frameGauges[heap] = GC.GetTotalMemory(false);
            int frame = chunk.AddFrame(frameStart - origin, now - frameStart, frameSteps, taken);
            chunk.AddSpans(0, Own);
            lock (others)
            {
                foreach (Lane lane in others)
                {
                    long takenOfLane;
                    lock (lane)
                    {
                        chunk.AddSpans(lane.Number, lane.Done);
                        lane.Done.Clear();
                        takenOfLane = lane.Taken;
                        lane.Taken = Math.Min(0, lane.Taken);
                    }
                    if (takenOfLane < 0) continue;
                    if (lane.TakenGauge < 0) lane.TakenGauge = GaugeId("taken: " + NameOfLane(lane.Number), "ms");
                    frameGauges[lane.TakenGauge] = takenOfLane / 1e6;
                }
            }
            foreach (var pair in frameGauges) chunk.Gauges.Add(pair.Key, frame, pair.Value);
            foreach (var pair in frameWatches) chunk.Watches.Add(pair.Key, frame, pair.Value[0], pair.Value[1]);
            foreach (var pair in frameLives) chunk.Lives.Add(pair.Key, frame, pair.Value[0], pair.Value[1], pair.Value[2]);
            foreach (int number in changedUpdaters) AddUpdaters(number, frame);
            changedUpdaters.Clear();
        }

        private void AddUpdaters(int number, int frame)
        {
            double all = 0, enabled = 0, unseen = 0, far = 0, asleep = 0, ms = 0;
            if (updaters.TryGetValue(number, out HashSet<Updater> own))
            {
                foreach (Updater updater in own)
                {
                    all++;
                    if (!updater.Enabled) continue;
                    enabled++;
                    ms += updater.Ms;
                    if (updater.Unseen) unseen++;
                    if (updater.Far) far++;
                    if (updater.Asleep) asleep++;
                }
            }
            chunk.Updaters.Add(number, frame, all, enabled, unseen, far, asleep, enabled > 0 ? ms / enabled : 0);
        }

        // ---- records ----

        private void SendChunk()
        {
            Chunk full = chunk;
            chunk = new Chunk();
            byte[] declared = Declared(sequence + 1, false);
            if (declared != null) sink.Put(++sequence, declared);
            List<JobRow> jobRows;
            lock (problems)
            {
                jobRows = jobs;
                jobs = new List<JobRow>();
            }
            long number = ++sequence, lost = dropped;
            dropped = 0;
            int mended = Interlocked.Exchange(ref repaired, 0);
            List<object> what = TakeProblems();
            string stretch = stretchAt;
            stretchAt = null;
            sink.Put(number, () => Encoded(full, number, jobRows, lost, mended, what, origin, stretch));
        }

        /// <summary>A record of what is declared: all of it, or what is new; null where nothing is.</summary>
        private byte[] Declared(long number, bool all)
        {
            var lists = new Dictionary<string, List<byte[]>>();
            lock (declaring)
            {
                List<byte[]> own = all ? new List<byte[]>(allMarkers) : freshMarkers;
                if (!all) freshMarkers = new List<byte[]>();
                if (own.Count > 0) lists["markers"] = own;
                foreach (var pair in new[]
                {
                    new KeyValuePair<string, Names>("lanes", lanes), new KeyValuePair<string, Names>("gauges", gauges),
                    new KeyValuePair<string, Names>("watches", watches), new KeyValuePair<string, Names>("classes", classes),
                })
                {
                    List<byte[]> some = all ? pair.Value.All() : pair.Value.TakeFresh();
                    if (some.Count > 0) lists[pair.Key] = some;
                }
            }
            if (lists.Count == 0 && !all) return null;
            var record = new Cbor();
            record.Head(5, 2 + lists.Count);
            record.Text("record").Text("declare").Text("sequence").Int(number);
            foreach (var pair in lists)
            {
                record.Text(pair.Key).Head(4, pair.Value.Count);
                foreach (byte[] item in pair.Value) record.Raw(item);
            }
            return record.Bytes();
        }

        /// <summary>Worked out on the thread that delivers.</summary>
        private static byte[] Encoded(Chunk full, long number, List<JobRow> jobs, long dropped, int repaired,
            List<object> problems, long origin, string stretchAt)
        {
            var record = new Cbor();
            record.Head(5, 11 + (jobs.Count > 0 ? 1 : 0) + (problems.Count > 0 ? 1 : 0) + (full.Pictures.Count > 0 ? 1 : 0) +
                (stretchAt != null ? 1 : 0));
            record.Text("record").Text("chunk").Text("sequence").Int(number);
            full.Write(record, origin);
            record.Text("moments").Any(full.Moments);
            if (full.Pictures.Count > 0)
            {
                record.Text("pictures").Head(4, full.Pictures.Count);
                foreach (var picture in full.Pictures)
                    record.Head(5, 2).Text("at").Int(picture.Key).Text("bytes").Small(picture.Value, picture.Value.Length);
            }
            if (jobs.Count > 0)
            {
                record.Text("jobs").Head(5, 5);
                record.Text("job").Wholes(jobs.Count, i => jobs[i].Job);
                record.Text("event").Wholes(jobs.Count, i => jobs[i].Event);
                record.Text("lane").Wholes(jobs.Count, i => jobs[i].Lane);
                record.Text("marker").Wholes(jobs.Count, i => jobs[i].Marker);
                record.Text("at").Wholes(jobs.Count, i => jobs[i].At);
            }
            record.Text("dropped").Int(dropped).Text("repaired").Int(repaired);
            if (stretchAt != null) record.Text("stretch").Head(5, 2).Text("cause").Text("pause").Text("at").Text(stretchAt);
            if (problems.Count > 0) record.Text("problems").Any(problems);
            return record.Bytes();
        }

        private List<object> TakeProblems()
        {
            var all = new List<object>();
            lock (problems)
            {
                foreach (var pair in problems)
                {
                    string[] parts = pair.Key.Split('\n');
                    var said = new SortedDictionary<string, object>(StringComparer.Ordinal)
                        { ["what"] = parts[0], ["count"] = pair.Value };
                    if (parts[1] != "") said["about"] = parts[1];
                    all.Add(said);
                }
                problems.Clear();
            }
            return all;
        }

        internal void Problem(string what, string about = "")
        {
            string key = Cut(what) + "\n" + Cut(about).Replace('\n', ' ');
            lock (problems)
            {
                if (problems.TryGetValue(key, out long count)) problems[key] = count + 1;
                else if (problems.Count < MostProblems) problems[key] = 1;
            }
        }

        internal void Repaired()
        {
            Interlocked.Increment(ref repaired);
        }

        // ---- the end ----

        /// <summary>Records no more, and ends the open frame; what was recorded is still delivered by Close().</summary>
        public void Stop()
        {
            Pause();
            On = false;
        }

        /// <summary>Ends the take, and delivers what is left; a silent server is waited for at most two seconds.</summary>
        public void Close()
        {
            ISink open = Interlocked.Exchange(ref sink, null);
            if (open == null) return;
            sink = open;
            try
            {
                Stop();
                if (chunk.Frames > 0) SendChunk();
                var end = new Cbor();
                List<object> what = TakeProblems();
                end.Head(5, 3 + (what.Count > 0 ? 1 : 0));
                end.Text("record").Text("end").Text("sequence").Int(++sequence).Text("dropped").Int(dropped);
                if (what.Count > 0) end.Text("problems").Any(what);
                open.Put(sequence, end.Bytes());
                open.Close();
            }
            catch (Exception error)
            {
                tell("the recording did not end well: " + error.Message);
            }
            On = false;
            sink = null;
            if (loopReady != null) loopReady.Close();
            AppDomain.CurrentDomain.ProcessExit -= OnExit;
        }

        // ---- what comes in ----

        private static string Cut(string text)
        {
            if (text.Length <= MostName) return text;
            return text.Substring(0, char.IsHighSurrogate(text[MostName - 1]) ? MostName - 1 : MostName);
        }

        private static string NameOf(string name)
        {
            return string.IsNullOrWhiteSpace(name) ? "(no name)" : Cut(name);
        }

        private static bool IsNumber(object value)
        {
            if (value is double d) return !double.IsNaN(d) && !double.IsInfinity(d);
            if (value is float f) return !float.IsNaN(f) && !float.IsInfinity(f);
            return value is int || value is long || value is uint || value is short || value is byte;
        }

        private static IDictionary<string, object> Scalars(IDictionary<string, object> data)
        {
            var kept = new SortedDictionary<string, object>(StringComparer.Ordinal);
            int size = 0;
            foreach (var pair in data)
            {
                if (!(pair.Value is string) && !(pair.Value is bool) && !IsNumber(pair.Value)) continue;
                size += 40 + 6 * (pair.Key.Length + ((pair.Value as string)?.Length ?? 0));
                if (size <= MostData) kept[NameOf(pair.Key)] = pair.Value;
            }
            return kept;
        }

        // ---- what recording costs ----

        private struct Calibration
        {
            internal long SpanNs, InsideNs, ReadNs, StepNs;
        }

        private Calibration Calibrate()
        {
            const int Calls = 4000;
            long best = long.MaxValue, inside = long.MaxValue, reads = long.MaxValue, step = long.MaxValue;
            On = true;
            MarkerCount = 1;
            for (int round = 0; round < 8; round++)
            {
                Own.Clear();
                long from = Now();
                for (int i = 0; i < Calls; i++)
                {
                    Enter(0);
                    Leave();
                }
                best = Math.Min(best, (Now() - from) / Calls);
                long sum = 0;
                for (int i = 0; i < Calls; i++) sum += Own.Duration[i];
                inside = Math.Min(inside, sum / Calls);
                from = Now();
                for (int i = 0; i < Calls; i++) Now();
                reads = Math.Min(reads, (Now() - from) / Calls);
            }
            On = false;
            MarkerCount = 0;
            Own.Clear();
            long last = Now(), till = last + 20000000;
            for (int steps = 0; steps < 200 && last < till;)
            {
                long now = Now();
                if (now <= last) continue;
                step = Math.Min(step, now - last);
                last = now;
                steps++;
            }
            return new Calibration { SpanNs = best, InsideNs = inside, ReadNs = reads, StepNs = Math.Min(step, 20000000) };
        }
    }

    /// <summary>Names that were given numbers, and those not told of yet.</summary>
    internal sealed class Names
    {
        private readonly Dictionary<string, int> ids = new Dictionary<string, int>();
        private readonly List<byte[]> all = new List<byte[]>();
        private List<byte[]> fresh = new List<byte[]>();

        internal int Count
        {
            get { return ids.Count; }
        }

        internal bool Find(string name, out int id)
        {
            return ids.TryGetValue(name, out id);
        }

        internal string NameOf(int id)
        {
            foreach (var pair in ids) if (pair.Value == id) return pair.Key;
            return null;
        }

        internal int Add(string name, Action<IDictionary<string, object>> more)
        {
            int id = ids.Count;
            ids[name] = id;
            var said = new SortedDictionary<string, object>(StringComparer.Ordinal) { ["id"] = (long)id, ["name"] = name };
            more?.Invoke(said);
            var record = new Cbor();
            record.Any(said);
            fresh.Add(record.Bytes());
            all.Add(record.Bytes());
            return id;
        }

        internal List<byte[]> All()
        {
            return new List<byte[]>(all);
        }

        internal List<byte[]> TakeFresh()
        {
            List<byte[]> taken = fresh;
            fresh = new List<byte[]>();
            return taken;
        }
    }

    /// <summary>Samples by what they are of: columns of frames and values.</summary>
    internal sealed class Samples
    {
        internal readonly Dictionary<int, List<double>[]> ById = new Dictionary<int, List<double>[]>();

        internal void Add(int id, int frame, params double[] values)
        {
            if (!ById.TryGetValue(id, out List<double>[] columns))
            {
                ById[id] = columns = new List<double>[values.Length + 1];
                for (int i = 0; i < columns.Length; i++) columns[i] = new List<double>();
            }
            columns[0].Add(frame);
            for (int i = 0; i < values.Length; i++) columns[i + 1].Add(values[i]);
        }

        internal void Write(Cbor record, string name, string idName, params string[] columnNames)
        {
            record.Text(name).Head(4, ById.Count);
            foreach (var pair in ById)
            {
                record.Head(5, 2 + columnNames.Length);
                record.Text(idName).Int(pair.Key).Text("frame").Doubles(pair.Value[0]);
                for (int i = 0; i < columnNames.Length; i++) record.Text(columnNames[i]).Doubles(pair.Value[i + 1]);
            }
        }
    }

    /// <summary>The frames that go out together.</summary>
    /// <summary>Of a picture.</summary>
    internal static class PictureHead
    {
        private static int Number(byte[] bytes, int at, int count, bool littleEndian)
        {
            int value = 0;
            for (int i = 0; i < count; i++) value = value << 8 | bytes[littleEndian ? at + count - 1 - i : at + i];
            return Math.Max(0, value);
        }

        private static bool Says(byte[] bytes, int at, string what)
        {
            for (int i = 0; i < what.Length; i++)
                if (bytes[at + i] != what[i]) return false;
            return true;
        }

        /// <summary>Pixels a line of a PNG, JPEG or WebP; 0 of what is none.</summary>
        internal static int WidthOf(byte[] b)
        {
            int size = b.Length;
            if (size >= 24 && Says(b, 0, "\u0089PNG\r\n\u001a\n") && Says(b, 12, "IHDR")) return Number(b, 16, 4, false);
            if (size >= 25 && Says(b, 0, "RIFF") && Says(b, 8, "WEBP"))
            {
                if (Says(b, 12, "VP8L")) return (Number(b, 21, 2, true) & 0x3fff) + 1;
                if (size < 30) return 0;
                if (Says(b, 12, "VP8 ")) return Number(b, 26, 2, true) & 0x3fff;
                return Says(b, 12, "VP8X") ? Number(b, 24, 3, true) + 1 : 0;
            }
            if (size < 2 || b[0] != 0xff || b[1] != 0xd8) return 0;
            // Segments until the one that begins the picture; behind DA and D9 there is none.
            for (int at = 2; at + 9 <= size && b[at] == 0xff && b[at + 1] != 0xda && b[at + 1] != 0xd9;)
            {
                int kind = b[at + 1];
                if (kind >= 0xc0 && kind <= 0xcf && kind != 0xc4 && kind != 0xc8 && kind != 0xcc) return Number(b, at + 7, 2, false);
                at += 2 + Number(b, at + 2, 2, false);
            }
            return 0;
        }
    }

    internal sealed class Chunk
    {
        private sealed class LaneColumns
        {
            internal readonly List<long> Count = new List<long>();
            internal readonly Spans Spans = new Spans();
        }

        private readonly List<long> start = new List<long>(), duration = new List<long>(), steps = new List<long>(), taken = new List<long>();
        private readonly SortedDictionary<int, LaneColumns> lanes = new SortedDictionary<int, LaneColumns>();
        internal readonly Samples Gauges = new Samples(), Watches = new Samples(), Lives = new Samples(), Updaters = new Samples();
        internal readonly List<object> Moments = new List<object>();
        internal readonly List<KeyValuePair<long, byte[]>> Pictures = new List<KeyValuePair<long, byte[]>>();
        internal int Spans;

        internal int Frames
        {
            get { return start.Count; }
        }

        internal long FirstStart
        {
            get { return start.Count > 0 ? start[0] : long.MaxValue / 2; }
        }

        /// <param name="takenNs">-1 where it is not known</param>
        internal int AddFrame(long startNs, long durationNs, long stepCount, long takenNs)
        {
            start.Add(startNs);
            duration.Add(durationNs);
            steps.Add(stepCount);
            taken.Add(takenNs);
            return start.Count - 1;
        }

        internal void AddSpans(int lane, Spans spans)
        {
            if (!lanes.TryGetValue(lane, out LaneColumns columns))
            {
                if (spans.Count == 0) return;
                lanes[lane] = columns = new LaneColumns();
            }
            while (columns.Count.Count < start.Count - 1) columns.Count.Add(0);
            columns.Count.Add(spans.Count);
            columns.Spans.AddAll(spans);
            Spans += spans.Count;
        }

        /// <summary>Nine of the record's fields, origin taken from the spans' times.</summary>
        internal void Write(Cbor record, long origin)
        {
            bool hasTaken = taken.TrueForAll(ns => ns >= 0);
            record.Text("frames").Head(5, hasTaken ? 4 : 3);
            record.Text("start").Wholes(start.Count, i => start[i]).Text("duration").Wholes(start.Count, i => duration[i]);
            record.Text("steps").Wholes(start.Count, i => steps[i]);
            if (hasTaken) record.Text("taken").Wholes(start.Count, i => taken[i]);
            record.Text("lanes").Head(4, lanes.Count);
            foreach (var pair in lanes)
            {
                Spans own = pair.Value.Spans;
                List<long> count = pair.Value.Count;
                while (count.Count < start.Count) count.Add(0);
                record.Head(5, 6 + (own.HasEffect ? 1 : 0) + (own.HasKey ? 1 : 0));
                record.Text("lane").Int(pair.Key).Text("count").Wholes(count.Count, i => count[i]);
                record.Text("marker").Wholes(own.Count, i => own.Marker[i]);
                record.Text("start").Wholes(own.Count, i => own.Start[i] - origin);
                record.Text("duration").Wholes(own.Count, i => own.Duration[i]);
                record.Text("depth").Small(own.Depth, own.Count);
                if (own.HasEffect) record.Text("effect").Small(own.Effect, own.Count);
                if (own.HasKey) record.Text("key").Wholes(own.Count, i => own.Key[i]);
            }
            Gauges.Write(record, "gauges", "gauge", "value");
            Watches.Write(record, "watches", "watch", "looks", "changes");
            Lives.Write(record, "lives", "class", "born", "died", "bytes");
            Updaters.Write(record, "updaters", "class", "instances", "enabled", "unseen", "far", "asleep", "every");
        }
    }

    /// <summary>CBOR (RFC 8949) with typed arrays (RFC 8746).</summary>
    internal sealed class Cbor
    {
        private byte[] bytes = new byte[256];
        private int count;

        internal byte[] Bytes()
        {
            var own = new byte[count];
            Buffer.BlockCopy(bytes, 0, own, 0, count);
            return own;
        }

        private void Room(int more)
        {
            if (count + more > bytes.Length) Array.Resize(ref bytes, Math.Max(2 * bytes.Length, count + more));
        }

        internal Cbor Raw(byte[] own)
        {
            Room(own.Length);
            Buffer.BlockCopy(own, 0, bytes, count, own.Length);
            count += own.Length;
            return this;
        }

        private void BigEndian(ulong value, int size)
        {
            Room(size);
            for (int i = size - 1; i >= 0; i--) bytes[count++] = (byte)(value >> (8 * i));
        }

        internal Cbor Head(int major, long value)
        {
            int size = value < 24 ? 0 : value < 0x100 ? 1 : value < 0x10000 ? 2 : value < 0x100000000 ? 4 : 8;
            int minor = size == 0 ? (int)value : size == 1 ? 24 : size == 2 ? 25 : size == 4 ? 26 : 27;
            BigEndian((ulong)(major << 5 | minor), 1);
            BigEndian((ulong)value, size);
            return this;
        }

        internal Cbor Text(string text)
        {
            byte[] own = new UTF8Encoding(false).GetBytes(text);
            Head(3, own.Length);
            return Raw(own);
        }

        internal Cbor Int(long value)
        {
            return value >= 0 ? Head(0, value) : Head(1, -1 - value);
        }

        private Cbor Double(double value)
        {
            BigEndian(0xfb, 1);
            BigEndian((ulong)BitConverter.DoubleToInt64Bits(value), 8);
            return this;
        }

        internal Cbor Any(object value)
        {
            if (value is string text) return Text(text);
            if (value is bool truth)
            {
                BigEndian(truth ? 0xf5u : 0xf4u, 1);
                return this;
            }
            if (value is IDictionary<string, object> map)
            {
                Head(5, map.Count);
                foreach (var pair in map) Text(pair.Key).Any(pair.Value);
                return this;
            }
            if (value is IList<object> list)
            {
                Head(4, list.Count);
                foreach (object item in list) Any(item);
                return this;
            }
            if (value is double || value is float) return Double(Convert.ToDouble(value, CultureInfo.InvariantCulture));
            return Int(Convert.ToInt64(value, CultureInfo.InvariantCulture));
        }

        /// <summary>Whole numbers from 0, in 8, 16, 32 or 64 bits as they need: tags 64 to 67.</summary>
        internal Cbor Wholes(int size, Func<int, long> at)
        {
            long most = 0;
            for (int i = 0; i < size; i++) most = Math.Max(most, at(i));
            int width = most < 0x100 ? 0 : most < 0x10000 ? 1 : most < 0x100000000 ? 2 : 3;
            Head(6, 64 + width).Head(2, (long)size << width);
            for (int i = 0; i < size; i++) BigEndian((ulong)Math.Max(0, at(i)), 1 << width);
            return this;
        }

        internal Cbor Small(byte[] own, int size)
        {
            Head(6, 64).Head(2, size);
            Room(size);
            Buffer.BlockCopy(own, 0, bytes, count, size);
            count += size;
            return this;
        }

        internal Cbor Doubles(List<double> values)
        {
            Head(6, 82).Head(2, 8L * values.Count);
            foreach (double value in values) BigEndian((ulong)BitConverter.DoubleToInt64Bits(value), 8);
            return this;
        }
    }

    // ---- where records go ----

    internal interface ISink
    {
        bool IsFull { get; }
        void Put(long sequence, byte[] record);
        void Put(long sequence, Func<byte[]> record);
        void Close();
    }

    internal sealed class FileSink : ISink
    {
        private readonly FileStream file;

        internal FileSink(string path, byte[] head)
        {
            file = new FileStream(path, FileMode.Create, FileAccess.Write);
            file.Write(head, 0, head.Length);
        }

        public bool IsFull
        {
            get { return false; }
        }

        public void Put(long sequence, byte[] record)
        {
            file.Write(record, 0, record.Length);
        }

        public void Put(long sequence, Func<byte[]> record)
        {
            Put(sequence, record());
        }

        public void Close()
        {
            file.Dispose();
        }
    }

    /// <summary>CRC-32 as in gzip, and the chain of a take's records.</summary>
    internal static class Crc
    {
        private static readonly uint[] Table = Make();

        private static uint[] Make()
        {
            var table = new uint[256];
            for (uint i = 0; i < 256; i++)
            {
                uint crc = i;
                for (int bit = 0; bit < 8; bit++) crc = (crc & 1) != 0 ? (crc >> 1) ^ 0xedb88320u : crc >> 1;
                table[i] = crc;
            }
            return table;
        }

        private static uint Of(byte[] data, uint before)
        {
            uint crc = ~before;
            foreach (byte one in data) crc = (crc >> 8) ^ Table[(crc ^ one) & 0xff];
            return ~crc;
        }

        /// <summary>Of the chain of the record before, four bytes, and the record.</summary>
        internal static uint Chained(uint before, byte[] record)
        {
            var head = new[] { (byte)(before >> 24), (byte)(before >> 16), (byte)(before >> 8), (byte)before };
            return Of(record, Of(head, 0));
        }
    }

    /// <summary>Delivers records by HTTP from a thread of its own: each is kept until the server has stored it.</summary>
    internal sealed class Stream : ISink
    {
        private const int BodyBytes = 8 << 20, PatienceMs = 2000, TimeoutMs = 10000;
        /// <summary>What is acknowledged is kept for so long: a server may come back with less than it had.</summary>
        private const int KeptMs = 2000, KeptBytes = 8 << 20;
        /// <summary>About what a chunk will have: known only once it is encoded.</summary>
        private const int Unknown = 1 << 16;
        /// <summary>Codes of what breaks the format: the same again will break it again.</summary>
        private static readonly string[] Broken =
            { "not-a-take", "other-version", "not-cbor", "too-large", "bad-field", "after-end" };

        private sealed class Waiting
        {
            internal long Sequence, DoneMs;
            internal byte[] Bytes;
            internal Func<byte[]> Make;
            internal uint Chain;
            internal bool IsChained;
        }

        /// <summary>Nothing more is recorded: docs/format.md, "Answers".</summary>
        private sealed class EndException : Exception
        {
            internal readonly bool Keeps;
            internal readonly string Ending;

            internal EndException(string why, bool keeps, string ending = "") : base(why)
            {
                Keeps = keeps;
                Ending = ending;
            }
        }

        /// <summary>The server has less than it had acknowledged, or something else than was sent.</summary>
        private sealed class BehindException : Exception
        {
        }

        private readonly string[] addresses;
        private readonly string key, writer;
        private readonly Func<string, string, long, byte[]> headOf;
        private readonly Func<long, byte[]> declared;
        private readonly long most;
        private readonly Action<string> tell;
        private readonly Action stop, wishStop;
        private readonly LinkedList<Waiting> waiting = new LinkedList<Waiting>();
        /// <summary>What is acknowledged, for a while.</summary>
        private readonly LinkedList<Waiting> done = new LinkedList<Waiting>();
        private readonly HashSet<string> said = new HashSet<string>();
        private readonly Stopwatch clock = Stopwatch.StartNew();
        private readonly Thread thread;
        private string take;
        private byte[] head;
        private long size, doneBytes, acknowledged, sent, equal;
        private uint chain;
        private int at;
        private bool closing, over;

        /// <param name="headOf">The take's own record: of its identity, the one it goes on with, and the record it follows.</param>
        /// <param name="declared">A record of everything that was declared so far, with a number.</param>
        internal Stream(string to, string key, string take, string writer, Func<string, string, long, byte[]> headOf,
            Func<long, byte[]> declared, long most, Action<string> tell, Action stop, Action wishStop)
        {
            addresses = to.Split(',');
            for (int i = 0; i < addresses.Length; i++)
                if (!addresses[i].Contains("://")) addresses[i] = "http://" + addresses[i];
            this.key = key;
            this.take = take;
            this.writer = writer;
            this.headOf = headOf;
            this.declared = declared;
            head = headOf(take, null, 0);
            this.most = most;
            this.tell = tell;
            this.stop = stop;
            this.wishStop = wishStop;
            thread = new Thread(Run) { IsBackground = true, Name = "lapsus" };
            thread.Start();
        }

        public bool IsFull
        {
            get { return Interlocked.Read(ref size) > most; }
        }

        public void Put(long sequence, byte[] record)
        {
            Add(new Waiting { Sequence = sequence, Bytes = record });
        }

        public void Put(long sequence, Func<byte[]> record)
        {
            Add(new Waiting { Sequence = sequence, Make = record });
        }

        private void Add(Waiting one)
        {
            lock (waiting)
            {
                if (over) return;
                waiting.AddLast(one);
                Interlocked.Add(ref size, one.Bytes?.Length ?? Unknown);
                Monitor.Pulse(waiting);
            }
        }

        public void Close()
        {
            lock (waiting)
            {
                closing = true;
                Monitor.Pulse(waiting);
            }
            thread.Join(PatienceMs);
            lock (waiting)
            {
                if (!over && waiting.Count > 0) tell(waiting.Count + " records are not delivered; " + Spool(""));
                over = true;
            }
        }

        private void Run()
        {
            int pauseMs = 0;
            bool told = false;
            for (;;)
            {
                List<Waiting> records;
                lock (waiting)
                {
                    if (over || (waiting.Count == 0 && closing)) return;
                    if (waiting.Count == 0) Monitor.Wait(waiting, 1000);
                    if (pauseMs > 0 && !over) Monitor.Wait(waiting, pauseMs);
                    records = Next();
                }
                if (records.Count == 0) continue;
                // Here, where no frame waits for it.
                foreach (Waiting one in records) Encode(one);
                try
                {
                    Deliver(records);
                    pauseMs = 0;
                    told = false;
                }
                catch (BehindException)
                {
                    pauseMs = Longer(pauseMs);
                }
                catch (EndException why)
                {
                    End(why);
                    return;
                }
                catch (Exception error)
                {
                    if (!told) Say(addresses[at] + " does not take what is recorded: " + error.Message + "; records are kept");
                    told = true;
                    at = (at + 1) % addresses.Length;
                    pauseMs = Longer(pauseMs);
                }
            }
        }

        /// <summary>At the end there is little time.</summary>
        private int Longer(int pauseMs)
        {
            return closing ? 250 : Math.Min(5000, Math.Max(250, 2 * pauseMs));
        }

        /// <summary>Each thing once.</summary>
        private void Say(string words)
        {
            if (said.Add(words)) tell(words);
        }

        private void End(EndException why)
        {
            lock (waiting)
            {
                over = true;
                stop();
                string kept = why.Keeps && waiting.Count > 0 ? "; " + Spool(why.Ending) : "";
                waiting.Clear();
                tell("the recording ends: " + why.Message + kept);
            }
        }

        private List<Waiting> Next()
        {
            var records = new List<Waiting>();
            long sum = 0;
            foreach (Waiting one in waiting)
            {
                int length = one.Bytes?.Length ?? Unknown;
                if (records.Count > 0 && sum + length > BodyBytes) break;
                records.Add(one);
                sum += length;
            }
            return records;
        }

        private void Encode(Waiting one)
        {
            if (one.Bytes == null)
            {
                one.Bytes = one.Make();
                one.Make = null;
                Interlocked.Add(ref size, one.Bytes.Length - Unknown);
            }
            if (one.IsChained) return;
            one.Chain = chain = Crc.Chained(chain, one.Bytes);
            one.IsChained = true;
        }

        /// <summary>docs/format.md, "Answers", says what each answer means.</summary>
        private void Deliver(List<Waiting> records)
        {
            string text;
            sent = Math.Max(sent, records[records.Count - 1].Sequence);
            int status = Post(records, out text);
            string code = Field(text, "code"), why = Field(text, "detail") ?? "status " + status;
            if (status == 410 || code == "discarded") throw new EndException(why, false);
            if (status == 401 || code == "wrong-key") throw new EndException(why, true);
            long? ack = Number(text, "ack");
            if (ack != null) Heard(ack.Value, Number(text, "chain"));
            if (status == 200 && ack != null)
            {
                if (Regex.IsMatch(text, "\"order\"\\s*:\\s*\"stop\"")) wishStop();
                return;
            }
            if (Array.IndexOf(Broken, code) >= 0) throw new EndException(why, true, ".refused");
            throw new IOException(status == 409 && code == null ? "it is busy with this take" : why);
        }

        private static string Field(string text, string name)
        {
            Match found = Regex.Match(text, "\"" + name + "\"\\s*:\\s*\"((?:[^\"\\\\]|\\\\.)*)\"");
            return found.Success ? found.Groups[1].Value : null;
        }

        private static long? Number(string text, string name)
        {
            Match found = Regex.Match(text, "\"" + name + "\"\\s*:\\s*(\\d{1,18})");
            return found.Success ? (long?)long.Parse(found.Groups[1].Value, CultureInfo.InvariantCulture) : null;
        }

        private void Heard(long ack, long? chainThere)
        {
            lock (waiting)
            {
                if (ack > sent) throw new EndException("there is another recording under the same identity", true);
                if (ack < acknowledged)
                {
                    GoBack(ack, false);
                    throw new BehindException();
                }
                while (waiting.Count > 0 && waiting.First.Value.Sequence <= ack)
                {
                    Waiting one = waiting.First.Value;
                    waiting.RemoveFirst();
                    Interlocked.Add(ref size, -(one.Bytes?.Length ?? Unknown));
                    one.DoneMs = clock.ElapsedMilliseconds;
                    done.AddLast(one);
                    doneBytes += one.Bytes.Length;
                }
                acknowledged = ack;
                if (chainThere != null && done.Count > 0 && done.Last.Value.Sequence == ack)
                {
                    if (done.Last.Value.Chain != chainThere)
                    {
                        Say("what has arrived is not what was sent; it is sent again, as a take that goes on with this one");
                        GoBack(equal, true);
                        throw new BehindException();
                    }
                    equal = ack;
                }
                while (done.Count > 0 && (clock.ElapsedMilliseconds - done.First.Value.DoneMs > KeptMs || doneBytes > KeptBytes))
                {
                    doneBytes -= done.First.Value.Bytes.Length;
                    done.RemoveFirst();
                }
            }
        }

        /// <summary>Sends again from the record after this one, as far as it is there; else goes on in a new take.</summary>
        private void GoBack(long ack, bool anew)
        {
            while (done.Count > 0 && done.First.Value.Sequence <= ack) done.RemoveFirst();
            anew |= done.Count == 0 || done.First.Value.Sequence != ack + 1;
            while (done.Count > 0)
            {
                Interlocked.Add(ref size, done.Last.Value.Bytes.Length);
                waiting.AddFirst(done.Last.Value);
                done.RemoveLast();
            }
            doneBytes = 0;
            acknowledged = ack;
            if (anew) GoOnAnew();
        }

        private void GoOnAnew()
        {
            long first = waiting.Count > 0 ? waiting.First.Value.Sequence : sent + 1;
            string old = take;
            take = old.Substring(0, Math.Min(50, old.Length)) + "-" + Guid.NewGuid().ToString("N").Substring(0, 8);
            head = headOf(take, old, first - 2);
            acknowledged = equal = first - 2;
            chain = 0;
            foreach (Waiting one in waiting) one.IsChained = false;
            var declare = new Waiting { Sequence = first - 1, Bytes = declared(first - 1) };
            waiting.AddFirst(declare);
            Interlocked.Add(ref size, declare.Bytes.Length);
            Say("the server has less than it had acknowledged: the recording goes on as take " + take);
        }

        private int Post(List<Waiting> records, out string text)
        {
            var request = (HttpWebRequest)WebRequest.Create(addresses[at].TrimEnd('/') + "/ingest/" + Uri.EscapeDataString(take));
            request.Method = "POST";
            request.ContentType = "application/cbor-seq";
            request.Timeout = request.ReadWriteTimeout = TimeoutMs;
            request.ServicePoint.Expect100Continue = false;
            request.Proxy = null;
            request.Headers["Content-Encoding"] = "gzip";
            if (!string.IsNullOrEmpty(key)) request.Headers["Authorization"] = "Bearer " + key;
            var body = new MemoryStream();
            using (var packed = new GZipStream(body, CompressionLevel.Fastest, true))
            {
                packed.Write(head, 0, head.Length);
                foreach (Waiting one in records) packed.Write(one.Bytes, 0, one.Bytes.Length);
            }
            request.ContentLength = body.Length;
            using (System.IO.Stream stream = request.GetRequestStream()) body.WriteTo(stream);
            HttpWebResponse response;
            try
            {
                response = (HttpWebResponse)request.GetResponse();
            }
            catch (WebException error) when (error.Response is HttpWebResponse)
            {
                response = (HttpWebResponse)error.Response;
            }
            using (response)
            using (var reader = new StreamReader(response.GetResponseStream(), Encoding.UTF8))
            {
                text = reader.ReadToEnd();
                return (int)response.StatusCode;
            }
        }

        [DllImport("libc", EntryPoint = "chmod", SetLastError = true)]
        private static extern int Chmod(string path, uint mode);

        /// <summary>For nobody else to read, where the system knows of such.</summary>
        private static void Private(string path, byte[] bytes)
        {
            File.WriteAllBytes(path, new byte[0]);
            try
            {
                Chmod(path, 0x180);
            }
            catch (Exception)
            {
                // There is no such library: the folder is the user's own.
            }
            File.WriteAllBytes(path, bytes);
        }

        /// <summary>Leaves records where Lapsus finds them: docs/format.md, "Spool files".</summary>
        private string Spool(string ending)
        {
            try
            {
                string folder = Environment.GetEnvironmentVariable("LAPSUS_SPOOL");
                if (string.IsNullOrEmpty(folder))
                {
                    string state = Environment.GetEnvironmentVariable("XDG_STATE_HOME");
                    if (string.IsNullOrEmpty(state))
                        state = Path.Combine(Environment.GetFolderPath(Environment.SpecialFolder.UserProfile), ".local", "state");
                    folder = Path.Combine(state, "lapsus", "spool");
                }
                Directory.CreateDirectory(folder);
                var url = new Uri(addresses[0]);
                string name = url.Host + "_" + url.Port + "~" + take + "~" + writer + "~" + waiting.First.Value.Sequence + ".spool";
                string path = Path.Combine(folder, name);
                // What it was to be let in with: whoever takes it up shows it again.
                if (!string.IsNullOrEmpty(key)) Private(path + ".key", Encoding.UTF8.GetBytes(key));
                Private(path + ".new", new byte[0]);
                using (var file = new FileStream(path + ".new", FileMode.Append, FileAccess.Write))
                {
                    file.Write(head, 0, head.Length);
                    foreach (Waiting one in waiting)
                    {
                        byte[] bytes = one.Bytes ?? one.Make();
                        file.Write(bytes, 0, bytes.Length);
                    }
                }
                // Whole under its name, or not there at all.
                File.Delete(path + ending);
                File.Move(path + ".new", path + ending);
                return "they are kept in " + path + ending;
            }
            catch (Exception error)
            {
                return "they are lost: " + error.Message;
            }
        }
    }
}
