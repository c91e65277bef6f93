using System.Diagnostics;
using System.Runtime.CompilerServices;
using Maschera.Core.Engines;
using Maschera.Instruments;

namespace Maschera.Rig.Instruments;

/// <summary>The engine and its condition on the stand-in scope.</summary>
public sealed record StandInPlan(Engine Engine)
{
    public IReadOnlyList<CylinderFault> Faults { get; init; } = [];
    public StarterCircuit Starter { get; init; } = new();

    /// <summary>What the engine does on its own fuel; null where the starter turns it.</summary>
    public RunningPlan? Running { get; init; }

    /// <summary>The engine with its gas; null where it is not watched.</summary>
    public BreathingPlan? Gas { get; init; }

    /// <summary>Seed of all noise and of the angle at which the engine stands.</summary>
    public int Seed { get; init; } = 1;
}

/// <summary>The scope that ships with Maschera: a simulated engine on its starter, in real time.</summary>
public sealed class StandInScope : IScope
{
    /// <summary>Engine steps in a block: 20 ms.</summary>
    private const int StepsInBlock = 500;

    private const int NoiseTable = 1 << 16;

    /// <summary>A stand-in that lags more than this gives up catching up, s.</summary>
    private const double MostLag = 5;

    private readonly StandInPlan _plan;
    private readonly float[] _noise;
    private volatile bool _keyed;

    /// <summary>The engine needs geometry and valve timing.</summary>
    public StandInScope(StandInPlan plan)
    {
        _plan = plan;
        var random = new Random(plan.Seed);
        // Box and Muller 1958.
        _noise = [.. Enumerable.Range(0, NoiseTable).Select(_ => (float)(Noise.Gaussian(random)))];
        Abilities = new ScopeAbilities("Stand-in scope", 4, [10_000, 50_000, 100_000, 250_000, 500_000, 1_000_000], 12, ProbesFor(plan));
    }

    public ScopeAbilities Abilities { get; }

    /// <summary>True while the key is held and the starter turns.</summary>
    public bool Keyed
    {
        get => _keyed;
        set
        {
            _keyed = value;
            HasCranked |= value;
        }
    }

    /// <summary>True once the key was turned.</summary>
    public bool HasCranked { get; private set; }

    /// <summary>The probes that make sense on what the plan asks for.</summary>
    public static IReadOnlyList<Probe> ProbesFor(StandInPlan plan) =>
        plan.Gas is { } gas
            ? [.. GasInput.Of(gas, new BreathingEngine(gas)).Select(i => new Probe(i.Name, i.Unit, i.Range, i.Role))]
            :
            [
                .. plan.Running is not null ? (Probe[])[] : [new("Starter current", "A", 1_000, "current")],
                new("Battery voltage", "V", 20, "battery"),
                new("Ignition", "V", 100, "sync"),
                .. plan.Engine.CrankWheel is null ? (Probe[])[] : [new("Crank sensor", "V", 10, "crank")],
                .. plan.Running is not null ? [new("Cam sensor", "V", 10, "cam")] : (Probe[])[],
            ];

    public async IAsyncEnumerable<ScopeBlock> RunAsync(ScopeSettings settings, [EnumeratorCancellation] CancellationToken cancel)
    {
        Check(settings);
        var random = new Random(_plan.Seed);
        ILiveEngine engine =
            _plan.Gas is { } gas ? new LiveBreathing(gas)
            : _plan.Running is { } running ? new RunningEngine(running, random) { Speed = 0 }
            : new StarterEngine(_plan.Engine, _plan.Starter, _plan.Faults, random);
        var inputs = settings.Probes.Select(p => new Input(p, engine, this)).ToArray();
        var perStep = settings.Rate * StarterEngine.Step;
        var clock = Stopwatch.StartNew();
        var states = new EngineState[StepsInBlock + 1];
        states[0] = engine.State(_keyed);
        long delivered = 0;
        for (long block = 1; !cancel.IsCancellationRequested; block++)
        {
            for (var i = 0; i < StepsInBlock; i++)
            {
                engine.Turn(states[i]);
                states[i + 1] = engine.State(_keyed);
            }

            var total = (long)Math.Floor(block * StepsInBlock * perStep + 1e-6);
            yield return new ScopeBlock(
                delivered,
                [.. inputs.Select(input => input.Take(states, (int)(total - delivered), (block - 1) * StepsInBlock, delivered, perStep))]
            );
            delivered = total;
            states[0] = states[^1];
            var early = block * StepsInBlock * StarterEngine.Step - clock.Elapsed.TotalSeconds;
            if (early < -MostLag)
                throw new ScopeException("The stand-in scope can't keep up on this machine; choose a lower rate or fewer channels.");
            if (early > 0.001)
                try
                {
                    await Task.Delay(TimeSpan.FromSeconds(early), cancel);
                }
                catch (OperationCanceledException)
                {
                    yield break;
                }
        }
    }

    private void Check(ScopeSettings settings)
    {
        if (!Abilities.Rates.Contains(settings.Rate))
            throw new ScopeException(
                $"The stand-in scope runs at {string.Join(", ", Abilities.Rates)} samples a second, not at {settings.Rate}."
            );
        if (settings.Probes.Count == 0 || settings.Probes.Count > Abilities.MostChannels)
            throw new ScopeException($"Choose 1 to {Abilities.MostChannels} probes.");
        if (settings.Probes.FirstOrDefault(p => !Abilities.Probes.Contains(p)) is { } unknown)
            throw new ScopeException($"There is no probe '{unknown.Name}' on this engine.");
    }

    /// <summary>One input: the probe's signal between engine states, its noise, and the converter.</summary>
    private sealed class Input
    {
        /// <summary>Time the coil's flyback lasts, in engine steps: 0.12 ms.</summary>
        private const int FlybackSteps = 3;

        private readonly Probe _probe;
        private readonly StandInScope _scope;
        private readonly Func<EngineState, double> _signal;
        private readonly bool _smooth;
        private readonly float _noise;
        private readonly bool _isCoil;
        private int _flyback;
        private double _coilVolts;
        private uint _draw;

        public Input(Probe probe, ILiveEngine engine, StandInScope scope)
        {
            (_probe, _scope, _draw) = (probe, scope, (uint)(scope._plan.Seed * 2_654_435_761L + probe.Name.Length));
            _isCoil = probe.Role == "sync";
            _signal = state => engine.Volts(probe.Role, state);
            (_smooth, _noise) = probe.Role switch
            {
                "current" => (true, 3f),
                "battery" => (true, 0.01f),
                "crank" or "cam" => (scope._plan.Gas is not null, 0.02f),
                "pressure" => (true, 0.008f),
                "back-pressure" => (true, 0.001f),
                not null when probe.Role.EndsWith("-pulse", StringComparison.Ordinal) => (true, 0.01f),
                _ => (true, 0.05f),
            };
        }

        /// <summary>
        /// Samples from number <paramref name="first"/>; <paramref name="states"/> begin at engine step <paramref name="step0"/>.
        /// </summary>
        public short[] Take(EngineState[] states, int count, long step0, long first, double perStep)
        {
            var counts = new short[count];
            var volts = _smooth ? Array.ConvertAll(states, Value) : null;
            var width = 1 << 16 - _scope.Abilities.Bits;
            var toSteps = 32_768 / _probe.Range / width;
            var limit = 32_768 / width;
            for (var i = 0; i < count; i++)
            {
                var place = (first + i) / perStep - step0;
                var at = Math.Min((int)place, states.Length - 2);
                var share = place - at;
                var value = volts is not null
                    ? volts[at] + share * (volts[at + 1] - volts[at])
                    : _signal(states[at] with { Degrees = states[at].Degrees + share * (states[at + 1].Degrees - states[at].Degrees) });
                // Marsaglia 2003, xorshift: which entry of the noise table comes next.
                _draw ^= _draw << 13;
                _draw ^= _draw >> 17;
                _draw ^= _draw << 5;
                var steps = Math.Round((value + _noise * _scope._noise[_draw % NoiseTable]) * toSteps);
                counts[i] = (short)(Math.Clamp(steps, -limit, limit - 1) * width);
            }

            return counts;
        }

        private double Value(EngineState state)
        {
            if (!_isCoil)
                return _signal(state);
            var volts = _signal(state);
            if (volts > 20)
                _flyback = FlybackSteps;
            _coilVolts = _flyback-- > 0 ? Math.Max(volts, 55) : volts;
            return _coilVolts;
        }
    }
}
