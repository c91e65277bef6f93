namespace Maschera.Rig;

/// <summary>The breathing engine watched live: it stands while the key is off, and goes at its plan's speed while it is on.</summary>
internal sealed class LiveBreathing : ILiveEngine
{
    private readonly BreathingEngine _engine;
    private readonly IReadOnlyList<GasInput> _inputs;
    private readonly Dictionary<string, int> _places;
    private bool _keyed;

    public LiveBreathing(BreathingPlan plan)
    {
        _engine = BreathingRun.Settled(plan);
        _inputs = GasInput.Of(plan, _engine);
        _places = _inputs.Index().ToDictionary(i => i.Item.Role, i => i.Index);
    }

    public EngineState State(bool keyed)
    {
        _keyed = keyed;
        return new EngineState(_engine.Degrees, 0, keyed ? 14.1 : 12.6, keyed ? _engine.Speed : 0, _engine.Seconds)
        {
            Shown = keyed ? [.. _inputs.Select(i => i.Value)] : null,
        };
    }

    public void Turn(EngineState state)
    {
        for (var step = 0; _keyed && step < StarterEngine.Step / BreathingEngine.Step - 0.5; step++)
        {
            _engine.Advance();
            foreach (var input in _inputs)
                input.Filter();
        }
    }

    public double Volts(string? role, EngineState state) =>
        role is null || !_places.TryGetValue(role, out var place) ? state.Volts
        : state.Shown is { } shown && double.IsFinite(shown[place]) ? shown[place]
        : 0;
}
