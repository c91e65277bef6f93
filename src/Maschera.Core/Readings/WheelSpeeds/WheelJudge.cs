using Maschera.Core.Signals;

namespace Maschera.Core.Readings.WheelSpeeds;

/// <summary>Tells a sensor's fault from what a wheel can do, wheel by wheel. Speeds in km/h.</summary>
internal sealed class WheelJudge
{
    /// <summary>
    /// So near to the speed from which a late wheel reads, as a share, it may read or not; beyond, it does so nearly always.
    /// </summary>
    private const double AboutLeast = 0.2,
        Nearly = 0.97;

    /// <summary>No wheel changes its speed faster, m/s².</summary>
    private const double MostAcceleration = 20;

    /// <summary>Sensors that wake or cease below are no jump.</summary>
    private const double Awake = 7;

    /// <summary>Others that roll at this speed show that a wheel stands.</summary>
    public const double Rolling = 10;

    /// <summary>Healthy sensors read by 5; a sample or two of a quick start are allowed on top.</summary>
    private const double LateFrom = 6.5;

    /// <summary>Far below: under this share of the others.</summary>
    private const double FarBelow = 0.6;

    /// <summary>Again and again: drops, or jumps up and down.</summary>
    private const int LeastDrops = 2,
        LeastJumps = 5;

    /// <summary>So many more falls than jumps, for jumps reach above the others as well and a contact that opens never does.</summary>
    private const int MostlyDrops = 2;

    /// <summary>
    /// A wheel is dead that stands for this share of the time the others roll, or from some moment to the end, s; sooner where it fell
    /// from one sample to the next.
    /// </summary>
    private const double DeadShare = 0.9,
        DeadSeconds = 8,
        DeadAtOnce = 2;

    private readonly WheelGrid _grid;
    private readonly double[] _noise;

    public WheelJudge(WheelGrid grid)
    {
        _grid = grid;
        _noise = [.. grid.Speeds.Select(s => s is null ? double.NaN : NoiseOf(s))];
        for (var wheel = 0; wheel < 4; wheel++)
            if (grid.Speeds[wheel] is not null)
                Judge(wheel);
    }

    /// <summary>ok, dead, drops-out, erratic or late, by wheel; null for one that was not logged.</summary>
    public string?[] States { get; } = new string?[4];

    /// <summary>The others' speed where a wheel starts to read; NaN where it never starts from standstill.</summary>
    public double[] LeastSpeeds { get; } = [double.NaN, double.NaN, double.NaN, double.NaN];

    /// <summary>Where a wheel does what none can, s.</summary>
    public List<(int Wheel, string Kind, double From, double To)> Faults { get; } = [];

    /// <summary>Samples at which a wheel can be compared, by wheel.</summary>
    public bool[]?[] Valid { get; } = new bool[4][];

    /// <summary>The others' speed at each sample: the median of those that read anything, so that a dead one does not count.</summary>
    public double[] Others(int wheel)
    {
        var reference = new double[_grid.Count];
        var values = new List<double>(3);
        for (var i = 0; i < reference.Length; i++)
        {
            values.Clear();
            for (var other = 0; other < 4; other++)
                if (other != wheel && _grid.Speeds[other] is { } speeds && double.IsFinite(speeds[i]) && Valid[other]?[i] != false)
                    values.Add(speeds[i]);
            reference[i] = MiddleOfRolling(values);
        }

        return reference;
    }

    /// <summary>The median of what reads; where some read nothing, of the rest.</summary>
    private static double MiddleOfRolling(List<double> values)
    {
        Sorting.Sort(values);
        var first = values.FindIndex(v => v > 0.3);
        if (first < 0)
            return 0;
        var rolling = values.Count - first;
        // One that reads among three that do not is a wheel that spins on a stand.
        if (rolling == 1 && values.Count > 2)
            return 0;
        return first + rolling / 2 is var middle && rolling % 2 == 1 ? values[middle] : (values[middle - 1] + values[middle]) / 2;
    }

    private void Judge(int wheel)
    {
        var (speeds, others) = (_grid.Speeds[wheel]!, Others(wheel));
        var braking = _grid.UnderBrake(others);
        var valid = Valid[wheel] = [.. speeds.Select(double.IsFinite)];
        LeastSpeeds[wheel] = LeastSpeed(speeds, others);
        if (LeastSpeeds[wheel] > LateFrom && ReadsFrom(LeastSpeeds[wheel], speeds, others))
        {
            States[wheel] = "late";
            return;
        }

        if (StandsFrom(wheel, speeds, others, braking) is { } dead)
        {
            for (var i = dead; i < valid.Length; i++)
                valid[i] = false;
            States[wheel] = "dead";
            Keep(wheel, "stands", Math.Min(dead, speeds.Length - 1), speeds.Length - 1);
            return;
        }

        var (drops, jumps) = Jumps(wheel, speeds, others, braking, valid);
        States[wheel] =
            drops >= LeastDrops && drops >= MostlyDrops * jumps ? "drops-out"
            : jumps >= LeastJumps ? "erratic"
            : drops >= LeastDrops ? "drops-out"
            : LeastSpeeds[wheel] > LateFrom ? "late"
            : "ok";
        if (States[wheel] == "erratic")
            Array.Fill(valid, false);
    }

    /// <summary>
    /// True where it reads above a speed and stands below it, nearly always and both for a while: what it does while the others cross
    /// that speed is neither a fall nor a jump.
    /// </summary>
    private bool ReadsFrom(double least, double[] speeds, double[] others)
    {
        var (above, reads, below, stands) = (0, 0, 0, 0);
        for (var i = 0; i < speeds.Length; i++)
            if (others[i] > (1 + AboutLeast) * least)
                (above, reads) = (above + 1, reads + (speeds[i] > FarBelow * others[i] ? 1 : 0));
            else if (others[i] > Awake && others[i] < (1 - AboutLeast) * least)
                (below, stands) = (below + 1, stands + (speeds[i] < 0.05 * others[i] ? 1 : 0));
        return Math.Min(above, below) * _grid.Step > 1 && reads > Nearly * above && stands > Nearly * below;
    }

    /// <summary>From which sample on a wheel stands while the others roll; null where it does not.</summary>
    private int? StandsFrom(int wheel, double[] speeds, double[] others, bool[] braking)
    {
        var (stands, rolls) = (0.0, 0.0);
        var last = -1;
        for (var i = 0; i < speeds.Length; i++)
        {
            if (!(others[i] > Rolling))
                continue;
            rolls += _grid.Step;
            if (speeds[i] > 0.05 * others[i])
                (stands, last) = (0, i);
            else
                stands += _grid.Step;
        }

        var least = FallsDead(wheel, speeds, others, braking, last) ? DeadAtOnce : Math.Min(DeadSeconds, DeadShare * rolls);
        return stands >= least && stands > 0 ? last + 1 : null;
    }

    /// <summary>True where it stands from one sample to the next, faster than a wheel can and not under the brake.</summary>
    private bool FallsDead(int wheel, double[] speeds, double[] others, bool[] braking, int last) =>
        last > 0
        && last + 2 < speeds.Length
        && !braking[last]
        && !braking[last + 1]
        && (Jump(speeds, others, last + 1, UsualNoise(wheel)) < 0 || Jump(speeds, others, last, UsualNoise(wheel)) < 0);

    private double UsualNoise(int wheel) => Statistics.Median(_noise.Where((n, w) => w != wheel && double.IsFinite(n)));

    /// <summary>
    /// Falls within a sample or two to far below the others that come back as fast, and jumps besides, up and down counted by the
    /// rarer of the two. Under the brake neither counts unless it happens elsewhere as well.
    /// </summary>
    private (int Drops, int Jumps) Jumps(int wheel, double[] speeds, double[] others, bool[] braking, bool[] valid)
    {
        var noise = UsualNoise(wheel);
        var (drops, braked, up, down) = (0, 0, 0, 0);
        for (var i = 1; i < speeds.Length; i++)
        {
            var jump = Jump(speeds, others, i, noise);
            if (jump == 0)
                continue;
            var back = jump < 0 ? EndOfDrop(speeds, others, i, noise) : -1;
            if (braking[i] || braking[i - 1])
            {
                (braked, i) = back < 0 ? (braked, i) : (braked + 1, back);
                continue;
            }

            if (back < 0)
            {
                (up, down) = (up + (jump > 0 ? 1 : 0), down + (jump < 0 ? 1 : 0));
                Keep(wheel, "jumps", i - 1, i);
                continue;
            }

            drops++;
            Keep(wheel, "falls", i - 1, Math.Min(back, valid.Length - 1));
            for (var k = i - 1; k <= Math.Min(back, valid.Length - 1); k++)
                valid[k] = false;
            i = back;
        }

        return (drops > 0 ? drops + braked : 0, 2 * Math.Min(up, down));
    }

    private void Keep(int wheel, string kind, int from, int to) => Faults.Add((wheel, kind, _grid.Times[from], _grid.Times[to]));

    /// <summary>1 or -1 where a wheel changes by more than a wheel can while the others roll; 0 elsewhere.</summary>
    private int Jump(double[] speeds, double[] others, int i, double noise)
    {
        if (!(others[i] > Awake) || !(others[i - 1] > Awake) || !double.IsFinite(speeds[i]) || !double.IsFinite(speeds[i - 1]))
            return 0;
        var change = speeds[i] - speeds[i - 1];
        var most = MostAcceleration * 3.6 * Math.Max(_grid.Times[i] - _grid.Times[i - 1], 0.5 * _grid.Step);
        return Math.Abs(change) > most + 6 * noise ? Math.Sign(change) : 0;
    }

    /// <summary>The sample at which a wheel that fell far below jumps back; -1 where it is not far below or never comes back so.</summary>
    private int EndOfDrop(double[] speeds, double[] others, int i, double noise)
    {
        var low = speeds[i] < FarBelow * others[i] ? i : i + 1;
        if (low >= speeds.Length || !(speeds[low] < FarBelow * others[low]))
            return -1;
        for (var k = low + 1; k < speeds.Length; k++)
        {
            if (Jump(speeds, others, k, noise) > 0 && speeds[Math.Min(k + 1, speeds.Length - 1)] > FarBelow * others[k])
                return k;
            if (others[k] < Awake)
                return -1;
        }

        return -1;
    }

    /// <summary>The others' speed at which a wheel starts to read, the middle of all starts from standstill.</summary>
    private static double LeastSpeed(double[] speeds, double[] others)
    {
        List<double> found = [];
        var armed = false;
        for (var i = 1; i < speeds.Length; i++)
        {
            if (speeds[i] <= 0 && others[i] < 1)
                armed = true;
            if (!armed || !(speeds[i] > 0))
                continue;
            // Both ends of the step in which it wakes.
            found.Add((others[i] + others[i - 1]) / 2);
            armed = false;
        }

        return found.Count > 0 ? Statistics.Median(found) : double.NaN;
    }

    /// <summary>The scatter of one value against the mean of its neighbours.</summary>
    private static double NoiseOf(double[] speeds)
    {
        List<double> bends = [];
        for (var i = 1; i + 1 < speeds.Length; i += Math.Max(1, speeds.Length / WheelRoad.Plenty))
            if (Math.Abs(speeds[i] - (speeds[i - 1] + speeds[i + 1]) / 2) is > 0 and var bend)
                bends.Add(bend);
        var middle = Statistics.Median(bends);
        return double.IsFinite(middle) ? middle : 0;
    }
}
