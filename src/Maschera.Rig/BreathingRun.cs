using Maschera.Core.Engines;
using Maschera.Core.Signals;

namespace Maschera.Rig;

/// <summary>Records the gas of the stand-in engine: cylinder pressure, and pulse pick-ups where they are asked for.</summary>
public static class BreathingRun
{
    /// <summary>The engine settles before the capture starts, s.</summary>
    private const double Settles = 2.5;

    private const double Ambient = 101_325;

    /// <summary>Length of pipe from the valves to the pick-up at the tail, m, and the speed of sound in it, m/s.</summary>
    private const double Pipe = 3,
        Sound = 480;

    /// <summary>Runs the plan.</summary>
    /// <exception cref="ArgumentException">The engine lacks geometry or valve timing.</exception>
    public static (Capture Capture, BreathingTruth? Truth) Record(BreathingPlan plan)
    {
        var engine = new BreathingEngine(plan);
        while (engine.Seconds < Settles)
            engine.Advance();
        var count = (int)(plan.Seconds * plan.Rate);
        var inputs = Inputs(plan, engine, new Converter(plan.Bits, new Random(plan.Seed + 1)), count);
        var truth = new TruthTaker(plan.Measured);
        var (start, first) = (engine.Seconds, engine.Degrees);
        for (var next = 0; next < count; )
        {
            var before = engine.Seconds - start;
            engine.Advance();
            truth.Take(engine);
            foreach (var input in inputs)
                input.Filter();
            for (; next < count && next / plan.Rate < before + BreathingEngine.Step; next++)
                foreach (var input in inputs)
                    input.Store(next);
        }

        var axis = TimeAxis.Uniform(0, 1 / plan.Rate, count);
        return (
            new Capture("stand-in", [.. inputs.Select(i => new Channel(i.Name, i.Unit, axis, i.Samples))], []),
            truth.Result((engine.Degrees - first) / 6 / (engine.Seconds - start))
        );
    }

    private static List<Input> Inputs(BreathingPlan plan, BreathingEngine engine, Converter converter, int count)
    {
        var inputs = new List<Input>();
        void Add(string name, string unit, double noise, double range, double fastest, bool alternating, Func<double> value) =>
            inputs.Add(new Input(name, unit, converter, noise, range, fastest, alternating, value, count));
        if (plan.Measured is { } measured)
            Add(
                "Cylinder pressure",
                "bar",
                plan.NoiseBar,
                plan.RangeBar,
                2500,
                false,
                () => (engine.Pressure(measured) - Ambient) / 1e5 * plan.Scale + plan.ZeroBar
            );
        var coil = plan.Measured ?? plan.Engine.FiringOrder[0];
        var lead = plan.Running ? 14 : 6;
        Add(
            "Ignition",
            "V",
            0.05,
            100,
            0,
            false,
            () =>
                EngineSignals.After(720 - lead, engine.After(coil)) is var since && since < 0.006 * engine.Speed + 0.15 ? 55
                : since > 690 ? 0.6
                : 13.8
        );
        if (plan.CrankSensor && plan.Engine.CrankWheel is { } wheel)
            Add("Crank sensor", "V", 0.02, 10, 0, false, () => EngineSignals.CrankVolts(wheel, engine.Degrees));
        if (!plan.PickUps)
            return inputs;
        // Piezo discs: volts by change of pressure, deaf below a hertz and above a few hundred.
        Add("Intake pulse", "V", 0.01, 5, 300, true, () => (engine.Intake - Ambient) / 4e3);
        var pipe = new Queue<double>(Enumerable.Repeat(0.0, (int)(Pipe / Sound / BreathingEngine.Step)));
        Add(
            "Exhaust pulse",
            "V",
            0.01,
            5,
            200,
            true,
            () =>
            {
                pipe.Enqueue((engine.Exhaust - Ambient) / 4e3);
                return pipe.Dequeue();
            }
        );
        Add("Crankcase pulse", "V", 0.01, 5, 200, true, () => (engine.Crankcase - Ambient) / 1e3);
        Add("Coolant pulse", "V", 0.01, 5, 100, true, () => (engine.Coolant - Ambient) / 1e3);
        Add("Exhaust back pressure", "bar", 0.001, 2, 500, false, () => (engine.Exhaust - Ambient) / 1e5);
        return inputs;
    }

    /// <summary>One channel of the scope: a pick-up's own frequency response, then the converter.</summary>
    private sealed class Input(
        string name,
        string unit,
        Converter converter,
        double noise,
        double range,
        double fastest,
        bool alternating,
        Func<double> value,
        int count
    )
    {
        /// <summary>Below this a pick-up hears nothing, Hz.</summary>
        private const double Slowest = 1.0;

        private static readonly double s_slow = 1 - Math.Exp(-Math.Tau * Slowest * BreathingEngine.Step);

        private readonly double _fast = 1 - Math.Exp(-Math.Tau * fastest * BreathingEngine.Step);

        private double _slow = double.NaN,
            _smooth = double.NaN;

        public string Name => name;
        public string Unit => unit;
        public float[] Samples { get; } = new float[count];

        /// <summary>Goes on by one step of the engine: first-order low and high pass.</summary>
        public void Filter()
        {
            var now = value();
            if (double.IsNaN(_smooth))
                (_smooth, _slow) = (now, now);
            _smooth = fastest > 0 ? _smooth + (now - _smooth) * _fast : now;
            _slow += (_smooth - _slow) * s_slow;
        }

        public void Store(int at) => Samples[at] = converter.Take(alternating ? _smooth - _slow : _smooth, noise, range);
    }

    /// <summary>Means over the measured cylinder's strokes as they really are.</summary>
    private sealed class TruthTaker(int? measured)
    {
        private readonly List<double> _peaks = [];
        private double _peak,
            _last,
            _exhaust,
            _intake;
        private int _exhausts,
            _intakes;

        public void Take(BreathingEngine engine)
        {
            if (measured is not { } cylinder)
                return;
            var (at, bar) = (engine.After(cylinder), (engine.Pressure(cylinder) - Ambient) / 1e5);
            if (at is > 640 or < 80)
                _peak = Math.Max(_peak, bar);
            if (_last < 80 && at >= 80 && at < 200)
            {
                _peaks.Add(_peak);
                _peak = 0;
            }

            if (at is >= 230 and <= 330)
                (_exhaust, _exhausts) = (_exhaust + bar, _exhausts + 1);
            if (at is >= 430 and <= 500)
                (_intake, _intakes) = (_intake + bar, _intakes + 1);
            _last = at;
        }

        public BreathingTruth? Result(double rpm) =>
            measured is null || _peaks.Count < 2
                ? null
                : new BreathingTruth(_peaks.Skip(1).Average(), _exhaust / Math.Max(1, _exhausts), _intake / Math.Max(1, _intakes), rpm);
    }
}
