using Maschera.Core.Engines;

namespace Maschera.Rig;

/// <summary>
/// The stand-in engine running: compression and expansion along a polytrope, a burn after Wiebe (Heywood, Internal
/// Combustion Engine Fundamentals, ch. 9), a load that holds the speed slowly, and sensors on crank and cam.
/// </summary>
internal sealed class RunningEngine : ILiveEngine
{
    /// <summary>Step of the simulation, s.</summary>
    public const double Step = 2e-5;

    /// <summary>A fuelled engine is kept turning at least this fast, rad/s.</summary>
    private const double Starting = 5;

    private const double Polytrope = 1.32;
    private const double Ambient = 101_325;

    /// <summary>Cam edges of the stand-in: starts and ends of its teeth, crank degrees after the first tooth behind the gap.</summary>
    private static readonly (double From, double To)[] s_camTeeth = [(25, 85), (205, 330), (420, 445), (570, 690)];

    /// <summary>Width of the wave an inductive cam sensor gives, crank degrees.</summary>
    private const double CamWave = 14;

    private readonly RunningPlan _plan;
    private readonly Random _random;
    private readonly double[] _angles;
    private readonly double[] _heat;
    private readonly SliderCrank _crank;
    private readonly CycleTable _motored,
        _heated;
    private readonly double _full;
    private readonly double _swept;
    private readonly double _intake;
    private readonly double _usualHeat;
    private readonly double _inertia;
    private readonly double _work;
    private readonly Dictionary<int, int> _misfires = [];
    private readonly Dictionary<int, int> _firings = [];
    private readonly double[] _toothErrors;
    private readonly bool[] _gaps;
    private readonly int[] _firingOrder;
    private double _flutter;
    private long _flutterCycle = long.MinValue;

    /// <summary>The engine as it goes at the plan's speed. It needs geometry and a crank wheel.</summary>
    /// <exception cref="ArgumentException">The engine lacks them.</exception>
    public RunningEngine(RunningPlan plan, Random random)
    {
        if (plan.Engine.Geometry is null || plan.Engine.CrankWheel is null)
            throw new ArgumentException("The stand-in engine needs geometry and a crank wheel.", nameof(plan));
        (_plan, _random, _angles) = (plan, random, plan.Engine.Angles());
        var g = plan.Engine.Geometry!;
        _crank = SliderCrank.Of(g, g.CompressionRatio);
        _full = _crank.Volume(Math.PI);
        _gaps = [.. Enumerable.Range(0, plan.Engine.CrankWheel.Teeth).Select(slot => IsGap(plan.Engine.CrankWheel, slot))];
        _firingOrder = [.. plan.Engine.FiringOrder];
        _swept = Math.PI / 4 * g.BoreMm * g.BoreMm * g.StrokeMm * 1e-9;
        // Half-open throttle; the burn raises the pressure so many times.
        (_intake, _usualHeat) = (0.45 * Ambient, 2.2);
        _heat = [.. Enumerable.Repeat(_usualHeat, plan.Engine.Cylinders)];
        _toothErrors =
        [
            .. Enumerable
                .Range(0, plan.Engine.CrankWheel!.Teeth)
                .Select(slot =>
                    plan.ToothErrorDegrees * Noise.Gaussian(_random)
                    + plan.RunoutDegrees * Math.Sin(Math.Tau * slot / plan.Engine.CrankWheel.Teeth)
                ),
        ];
        if (plan.BentTooth is var (tooth, degrees))
            _toothErrors[tooth - 1] += degrees;
        foreach (var cylinder in plan.Engine.FiringOrder)
            (_misfires[cylinder], _firings[cylinder]) = (0, 0);
        _inertia = 0.06 + 0.035 * plan.Engine.Cylinders;
        _motored = new(after => Torque(after, 0));
        _heated = new(after => Torque(after, 1) - Torque(after, 0));
        _work = MeanTorque();
        Degrees = 720 + _random.NextDouble() * 720;
        Speed = plan.SpeedRpm * Math.Tau / 60;
    }

    /// <summary>Crank degrees turned, 0 at a firing TDC of the first cylinder of the firing order.</summary>
    public double Degrees { get; private set; }

    /// <summary>Speed of the crank, rad/s.</summary>
    public double Speed { get; set; }

    /// <summary>Time since the start, s.</summary>
    public double Seconds { get; private set; }

    /// <summary>Fuel is on; without it the engine runs down.</summary>
    public bool Fuelled { get; set; }

    /// <summary>Missing firings of each cylinder so far.</summary>
    public IReadOnlyDictionary<int, int> Misfires => _misfires;

    /// <summary>Firings of each cylinder so far, missing ones counted.</summary>
    public IReadOnlyDictionary<int, int> Firings => _firings;

    public EngineState State(bool keyed)
    {
        Fuelled = keyed;
        return new EngineState(Degrees, 0, keyed ? 14.1 : 12.6, Speed, Seconds);
    }

    public void Turn(EngineState state)
    {
        for (var step = 0; step < StarterEngine.Step / Step - 0.5; step++)
            Advance();
    }

    public double Volts(string? role, EngineState state) =>
        role switch
        {
            "crank" => Crank(state.Degrees, state.Speed),
            "cam" => Cam(state.Degrees, state.Seconds, state.Speed),
            "sync" => Coil(_plan.Engine.FiringOrder[0], state.Degrees, state.Speed),
            _ => state.Volts,
        };

    /// <summary>Goes on by one step.</summary>
    public void Advance()
    {
        var before = Degrees;
        Degrees += double.RadiansToDegrees(Speed) * Step;
        for (var place = 0; place < _angles.Length; place++)
            Fire(place, before, Degrees, Speed);
        var wanted = Fuelled
            ? (_plan.SpeedRpm + ((_plan.EndRpm ?? _plan.SpeedRpm) - _plan.SpeedRpm) * Seconds / _plan.Seconds) * Math.Tau / 60
            : 0;
        var load = Fuelled ? _work + _inertia * 1.5 * (Speed - wanted) : 0.2 * _work + _inertia * 0.7 * Speed;
        Speed = Math.Max(Fuelled ? Starting : 0, Speed + (Torque(Degrees) - load) / _inertia * Step);
        Seconds += Step;
    }

    /// <summary>Decides, 20° before TDC, what the next firing of a place burns.</summary>
    private void Fire(int place, double before, double now, double speed)
    {
        const double decided = 700;
        if (!(EngineSignals.After(_angles[place], before) < decided && EngineSignals.After(_angles[place], now) is >= decided and < 715))
            return;
        var cylinder = _plan.Engine.FiringOrder[place];
        var rpm = speed * 60 / Math.Tau;
        var missing = !Fuelled || _plan.Misfires.Any(m => m.Cylinder == cylinder && rpm >= m.AboveRpm && _random.NextDouble() < m.Share);
        _firings[cylinder]++;
        if (missing)
            _misfires[cylinder]++;
        _heat[place] = missing ? 0 : _usualHeat * _plan.Heat.GetValueOrDefault(cylinder, 1) * (1 + _plan.Scatter * Noise.Gaussian(_random));
    }

    private double Torque(double degrees)
    {
        double sum = 0;
        for (var place = 0; place < _angles.Length; place++)
        {
            var after = EngineSignals.After(_angles[place], degrees);
            sum += _motored.At(after) + _heat[place] * _heated.At(after);
        }

        return sum;
    }

    /// <summary>Torque of one cylinder at an angle after its firing TDC, N m.</summary>
    private double Torque(double after, double heat)
    {
        var angle = double.DegreesToRadians(after);
        var pressure = after switch
        {
            < 140 => _intake * Math.Pow(_full / _crank.Volume(angle), Polytrope) * (1 + heat * EngineSignals.Burnt(after + 10)),
            < 360 => 1.03 * Ambient,
            < 540 => _intake,
            _ => _intake * Math.Pow(_full / _crank.Volume(angle), Polytrope),
        };
        return (pressure - Ambient) * _swept * _crank.VolumeSlope(angle);
    }

    private double MeanTorque()
    {
        double sum = 0;
        for (var at = 0.5; at < 720; at++)
            sum += Torque(at, _usualHeat) / 720;
        return sum * _plan.Engine.Cylinders;
    }

    /// <summary>The crank sensor at an angle and speed, V.</summary>
    public double Crank(double degrees, double speed)
    {
        var wheel = _plan.Engine.CrankWheel!;
        var volts = _plan.InductiveCrank ? Inductive(wheel, degrees, speed) : Hall(wheel, degrees);
        return !_plan.TurnedRound ? volts
            : _plan.InductiveCrank ? -volts
            : 5.2 - volts;
    }

    /// <summary>The primary side of a cylinder's coil: dwell, then a flyback 15° before TDC, V.</summary>
    public double Coil(int cylinder, double degrees, double speed)
    {
        var after = EngineSignals.After(_angles[Array.IndexOf(_firingOrder, cylinder)], degrees + 15);
        if (speed < Starting)
            return 13.8;
        return after < 0.006 * speed ? 55
            : after > 690 ? 0.6
            : 13.8;
    }

    /// <summary>
    /// Degrees from the nearest tooth's leading edge and the tooth's number since the start; null in a gap or at a lost tooth.
    /// </summary>
    private (double Into, double Pitch)? Tooth(CrankWheel wheel, double degrees)
    {
        var pitch = 360.0 / wheel.Teeth;
        var fromFirst = degrees + (wheel.GapToTdc ?? 90);
        // A tooth may stand a little early, so a place begins a quarter pitch before it.
        var number = (long)Math.Floor(fromFirst / pitch + 0.25);
        var slot = (int)(((number % wheel.Teeth) + wheel.Teeth) % wheel.Teeth);
        if (_gaps[slot] || IsLost(number))
            return null;
        // The extra tooth stands between the last place and the first.
        if (wheel.Extra == 1 && slot == wheel.Teeth - 1 && fromFirst - number * pitch >= pitch / 2)
            return ((fromFirst - (number + 0.5) * pitch) * 2, pitch);
        return (fromFirst - number * pitch - _toothErrors[slot], wheel.Extra == 1 ? 0.7 * pitch : pitch);
    }

    /// <summary>
    /// Gaps lie at the end of equal parts of the turn, but for the last, which lies a sixth of a part early: so no part is like
    /// another.
    /// </summary>
    private static bool IsGap(CrankWheel wheel, int slot)
    {
        var parts = wheel.Missing.Count;
        for (var i = 0; i < parts; i++)
        {
            var end = i == parts - 1 ? wheel.Teeth : (i + 1) * wheel.Teeth / parts - wheel.Teeth / (6 * parts);
            var size = wheel.Missing[(i + 1) % parts];
            if (slot >= end - size && slot < end)
                return true;
        }

        return false;
    }

    private bool IsLost(long number)
    {
        // Drawn from the tooth's number, so that a tooth stays lost for all its samples.
        return _plan.LostTeethPerMille > 0
            && new Random((int)(number * 7_919 % int.MaxValue) ^ _plan.Seed).NextDouble() < _plan.LostTeethPerMille / 1000;
    }

    private double Hall(CrankWheel wheel, double degrees) =>
        Tooth(wheel, degrees) is var (into, pitch) && into >= 0 && into < pitch / 2 ? 5 : 0.2;

    /// <summary>
    /// One wave for each tooth, falling through zero a quarter pitch behind its leading edge; its height grows with speed.
    /// </summary>
    private double Inductive(CrankWheel wheel, double degrees, double speed)
    {
        if (Tooth(wheel, degrees) is not var (into, pitch))
            return 0;
        var share = into / (pitch / 2);
        return share is > 0 and < 1 ? 0.08 * speed * Math.Sin(Math.Tau * share) : 0;
    }

    /// <summary>The cam sensor at an angle, time and speed, V.</summary>
    public double Cam(double degrees, double seconds, double speed)
    {
        var turned =
            degrees
            + (_plan.Engine.CrankWheel!.GapToTdc ?? 90)
            - _plan.CamOffsetDegrees
            - _plan.PhaserDegrees / 2 * Math.Sin(Math.Tau * seconds / _plan.Seconds);
        var cycle = (long)Math.Floor(turned / 720);
        if (cycle != _flutterCycle)
            (_flutterCycle, _flutter) = (cycle, _plan.CamFlutterDegrees * Noise.Gaussian(_random));
        var at = EngineSignals.After(0, turned - _flutter);
        if (_plan.InductiveCam)
            return s_camTeeth
                .Where(t => at >= t.From && at < t.From + CamWave)
                .Select(t => 0.03 * speed * Math.Sin(Math.Tau * (at - t.From) / CamWave))
                .FirstOrDefault();
        foreach (var (from, to) in s_camTeeth)
            if (at >= from && at < to)
                return 5;
        return 0.1;
    }
}
