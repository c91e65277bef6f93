namespace Maschera.Core.Engines;

/// <summary>What is wrong with an engine: fields that contradict each other, and figures no engine has.</summary>
internal sealed class EngineCheck(Engine engine)
{
    private const int LongestName = 200;

    private readonly List<EngineProblem> _problems = [];

    /// <summary>Every problem, with the field it belongs to.</summary>
    public IReadOnlyList<EngineProblem> Problems()
    {
        if (engine.Name.Length > LongestName)
            Add(nameof(engine.Name), $"A name has at most {LongestName} letters; this one has {engine.Name.Length}.");
        if (engine.Cylinders is < 1 or > Engine.MostCylinders)
            Add(nameof(engine.Cylinders), $"An engine has 1 to {Engine.MostCylinders} cylinders, not {engine.Cylinders}.");
        else
            CheckFiringOrder();
        CheckAngles();
        CheckBanks();
        if (engine.Stroke != 4)
            Add(nameof(engine.Stroke), "Only four-stroke engines can be read.");
        CheckWheel();
        if (engine.CamDrive is { CrankTeeth: < 8 or > 80 })
            Add(nameof(engine.CamDrive), "The cam drive's wheel on the crank has 8 to 80 teeth.");
        CheckGeometry();
        CheckValves();
        CheckCam();
        if (engine.Mounting is { IsKnown: false })
            Add(
                nameof(engine.Mounting),
                "Lengthwise the first end is front or rear and the first bank left or right; crosswise it is the other way round."
            );
        CheckPlugs();
        return _problems;
    }

    private void Add(string field, string text) => _problems.Add(new(field, text));

    private void CheckFiringOrder()
    {
        void AddOrder(string text) => Add(nameof(engine.FiringOrder), text);
        var order = engine.FiringOrder;
        var outside = order.Where(c => c < 1 || c > engine.Cylinders).Distinct().ToList();
        var twice = order.GroupBy(c => c).Where(g => g.Count() > 1).Select(g => g.Key).ToList();
        var missing = Enumerable.Range(1, engine.Cylinders).Except(order).ToList();
        if (outside.Count > 0)
            AddOrder($"There is no cylinder {string.Join(", ", outside)} in an engine of {engine.Cylinders}.");
        if (twice.Count > 0)
            AddOrder($"Cylinder {string.Join(", ", twice)} stands in the firing order more than once.");
        if (missing.Count > 0)
            AddOrder($"Cylinder {string.Join(", ", missing)} is missing from the firing order.");
    }

    private void CheckAngles()
    {
        if (engine.FiringAngles is not { Count: > 0 } angles)
            return;
        void AddAngles(string text) => Add(nameof(engine.FiringAngles), text);
        if (angles.Count != engine.Cylinders)
            AddAngles($"{angles.Count} firing angles for {engine.Cylinders} cylinders: give one for each place of the firing order.");
        if (angles[0] != 0)
            AddAngles("The first firing angle is 0: angles count from the first cylinder of the firing order.");
        if (angles.Zip(angles.Skip(1)).Any(pair => pair.Second < pair.First))
            AddAngles("Firing angles rise along the firing order.");
        if (!angles.All(a => a is >= 0 and < 720))
            AddAngles("Firing angles lie from 0 to below 720 degrees.");
    }

    private void CheckBanks()
    {
        if (engine.Banks is not { Count: > 0 } banks)
            return;
        var all = banks.SelectMany(bank => bank ?? []).ToList();
        if (all.Count != engine.Cylinders || all.Distinct().Count() != all.Count || all.Any(c => c < 1 || c > engine.Cylinders))
            Add(nameof(engine.Banks), "The banks together hold every cylinder once.");
    }

    private void CheckPlugs()
    {
        if (engine.PlugAccess is not { } plugs)
            return;
        if (plugs.Cylinders is not { Count: > 0 } named || named.Any(c => c < 1 || c > engine.Cylinders))
            Add(nameof(engine.PlugAccess), $"Say whose plugs are hard to reach: cylinders from 1 to {engine.Cylinders}.");
        else if (plugs.Minutes is not (> 0 and <= 600))
            Add(nameof(engine.PlugAccess), "Reaching a plug takes up to 600 minutes more.");
    }

    private void CheckWheel()
    {
        if (engine.CrankWheel is not { } wheel)
            return;
        void AddWheel(string text) => Add(nameof(engine.CrankWheel), text);
        if (wheel.Teeth is < 1 or > 720 || wheel.Missing.Any(m => m < 1) || wheel.Missing.Sum(m => (long)m) >= wheel.Teeth)
            AddWheel("A trigger wheel has 1 to 720 tooth places, and fewer missing teeth than places.");
        if (wheel.GapToTdc is not (null or >= 0 and <= 360))
            AddWheel("The angle from the gap to TDC lies from 0 to 360 degrees.");
        if (wheel.Extra is not (0 or 1) || wheel.Extra == 1 && wheel.Missing.Count > 0)
            AddWheel("A wheel has one extra tooth or none, and gaps or an extra tooth, not both.");
    }

    private void CheckGeometry()
    {
        if (engine.Geometry is not { } g)
            return;
        void AddGeometry(string text) => Add(nameof(engine.Geometry), text);
        if (!(g.BoreMm > 0 && g.StrokeMm > 0 && g.RodMm > g.StrokeMm / 2 && g.CompressionRatio is > 1 and < 40))
            AddGeometry(
                "Bore and stroke are positive, the rod is longer than half the stroke, and the compression ratio lies between 1 and 40."
            );
        else if (!(g.BoreMm is >= 20 and <= 400 && g.StrokeMm is >= 20 and <= 500 && g.RodMm <= 1500))
            AddGeometry("Bore and stroke are millimetres, from 20 to some hundreds; so is the rod.");
    }

    private void CheckValves()
    {
        if (engine.ValveTiming is not { } valves)
            return;
        double[] all = [valves.Evo, valves.Evc, valves.Ivo, valves.Ivc];
        static double Open(double opens, double closes) => ((closes - opens) % 720 + 720) % 720;
        if (!all.All(angle => angle is >= 0 and <= 720))
            Add(nameof(engine.ValveTiming), "Valve angles are degrees after firing TDC, 0 to 720.");
        else if (!(Open(valves.Evo, valves.Evc) is >= 100 and <= 420 && Open(valves.Ivo, valves.Ivc) is >= 100 and <= 420))
            Add(
                nameof(engine.ValveTiming),
                "Valves stay open for 100 to 420 degrees: say all four of evo, evc, ivo and ivc, after firing TDC."
            );
    }

    private void CheckCam()
    {
        if (engine.CamLimits is { } limits && !(limits.Watch > 0 && limits.Fault >= limits.Watch && limits.Fault <= 180))
            Add(nameof(engine.CamLimits), "Cam limits are degrees above 0, watch at or below fault.");
        if (engine.CamPattern is { } pattern && !pattern.All(e => e is { Direction: "rise" or "fall", Degrees: >= 0 and <= 720 }))
            Add(nameof(engine.CamPattern), "Edges of the cam are \"rise\" or \"fall\" at degrees from 0 to 720.");
    }
}
