using Maschera.Core.Engines;
using Maschera.Core.Signals;

namespace Maschera.Rig;

/// <summary>Records the gas of the stand-in engine: cylinder pressure, and pulse pick-ups where they are asked for.</summary>
public static class BreathingRun
{
    /// <summary>The engine settles before the capture starts, s.</summary>
    private const double Settles = 2.5;

    private const double Ambient = GasInput.Ambient;

    /// <summary>The engine as it goes once intake and speed have settled.</summary>
    internal static BreathingEngine Settled(BreathingPlan plan)
    {
        var engine = new BreathingEngine(plan);
        while (engine.Seconds < Settles)
            engine.Advance();
        return engine;
    }

    /// <summary>Runs the plan.</summary>
    /// <exception cref="ArgumentException">The engine lacks geometry or valve timing.</exception>
    public static (Capture Capture, BreathingTruth? Truth) Record(BreathingPlan plan)
    {
        var engine = Settled(plan);
        var count = (int)(plan.Seconds * plan.Rate);
        var inputs = GasInput.Of(plan, engine);
        var converter = new Converter(plan.Bits, new Random(plan.Seed + 1));
        var samples = inputs.Select(_ => new float[count]).ToList();
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
                foreach (var (input, kept) in inputs.Zip(samples))
                    kept[next] = converter.Take(input.Value, input.Noise, input.Range);
        }

        var axis = TimeAxis.Uniform(0, 1 / plan.Rate, count);
        return (
            new Capture("stand-in", [.. inputs.Zip(samples, (i, kept) => new Channel(i.Name, i.Unit, axis, kept) { Range = i.Range })], []),
            truth.Result((engine.Degrees - first) / 6 / (engine.Seconds - start))
        );
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
