using Maschera.Core.Vehicle;
using Maschera.Instruments;

namespace Maschera.Rig.Wiring;

/// <summary>A meter on wired components that can be broken, bridged and made resistive.</summary>
public sealed class StandInMeter(WiringPlan plan) : IMeter
{
    /// <summary>Ω of a sound wire, of a fuse with its contacts, and of two wires that touch.</summary>
    private const double Wire = 0.012,
        Fuse = 0.02,
        Bridge = 0.4;

    /// <summary>Ω of a cut wire: nothing a meter shows.</summary>
    private const double Cut = 1e9;

    /// <summary>Ω of a bad joint, by what the wire carries: it loses a fifth of the voltage under the load's current.</summary>
    private const double JointOfMotor = 0.8,
        JointOfValve = 3,
        JointOfSensor = 120,
        JointOfSignal = 4_700;

    /// <summary>Ω of what takes current: a motor, a valve, a sensor's circuit, a sensor's output, a coil, a module's input.</summary>
    private const double Motor = 3,
        Valve = 12,
        Sensor = 480,
        Output = 1_000,
        Coil = 900,
        Input = 47_000;

    /// <summary>A module's regulated supply, V and Ω.</summary>
    private const double Regulated = 5.0,
        RegulatedOhms = 2;

    /// <summary>The current a meter measures resistance with, A, and the Ω from which it shows an open circuit.</summary>
    private const double Testing = 1e-3,
        OpenFrom = 20e6;

    private readonly Random _random = new(plan.Seed);

    public string Name => "Stand-in meter";

    public Task<double> MeasureAsync(SheetRow asked, CancellationToken cancel)
    {
        cancel.ThrowIfCancellationRequested();
        return Task.FromResult(asked.Quantity == SheetQuantity.Resistance ? Ohms(asked) : Volts(asked));
    }

    private double Volts(SheetRow asked)
    {
        if (asked.Quantity == SheetQuantity.Current)
            throw new MeterException("The stand-in meter measures volts and ohms; a current is captured with a clamp.");
        var network = Wired(asked, powered: asked.State != "key off");
        return Shown(network.Volts(Node(network, asked, asked.From), Node(network, asked, asked.To)), 1e-3);
    }

    private double Ohms(SheetRow asked)
    {
        var network = Wired(asked, powered: asked.IsLive);
        var (from, to) = (Node(network, asked, asked.From), Node(network, asked, asked.To));
        network.Current(from, to, Testing);
        var ohms = Math.Abs(network.Volts(from, to)) / Testing;
        return ohms > OpenFrom ? double.PositiveInfinity : Shown(ohms, 0.1);
    }

    /// <summary>As the meter shows it: a few tenths of a percent off, four digits and none under the last one it has.</summary>
    private double Shown(double value, double digit)
    {
        var off = value * (1 + 0.002 * (2 * _random.NextDouble() - 1));
        var step = Math.Max(digit, Math.Pow(10, Math.Floor(Math.Log10(Math.Max(Math.Abs(off), digit))) - 3));
        return Math.Round(Math.Round(off / step) * step, 6);
    }

    private static string Node(Network network, SheetRow asked, string terminal)
    {
        var own = Own(asked.Component, terminal);
        return network.Has(own) ? own
            : network.Has(terminal) ? terminal
            : throw new MeterException($"There is no {terminal} at {(asked.Component.Length > 0 ? asked.Component : "this component")}.");
    }

    /// <summary>A component's own node: its plug's terminals, and the module's end of its signals.</summary>
    private static string Own(string component, string terminal) => $"{component}/{terminal}";

    private Network Wired(SheetRow asked, bool powered)
    {
        var network = new Network();
        Feed(network, asked, powered);
        foreach (var component in plan.Components)
            Attach(network, component, powered, isOff: asked.IsUnplugged && Is(asked.Component, component.Name));
        return network;
    }

    private static bool Is(string asked, string component) => asked.Length == 0 || asked == component;

    private void Feed(Network network, SheetRow asked, bool powered)
    {
        network.Resistor("chassis", "battery -", 0.002);
        network.Resistor("module ground", "chassis", 0.005);
        if (powered)
        {
            network.Source("battery +", "battery -", Battery(asked), 0.01);
            network.Source("module supply", "module ground", Regulated, RegulatedOhms);
        }
        else
        {
            network.Resistor("module supply", "module ground", 2_000);
        }

        network.Resistor("battery +", "splice/supply", Shared("supply", Fuse, JointOfMotor));
        network.Resistor("module supply", "splice/supply 5v", Shared("supply 5v", Wire, JointOfSensor));
        network.Resistor("module ground", "splice/ground", Shared("ground", Wire, JointOfSensor));
    }

    private static double Battery(SheetRow asked) =>
        asked.State switch
        {
            "cranking" => 10.2,
            "running" => 14.1,
            _ => 12.4,
        };

    private double Shared(string terminal, double sound, double joint) =>
        plan.Faults.FirstOrDefault(f => f.Component.Length == 0 && f.Terminal == terminal)?.Damage switch
        {
            WireDamage.Broken => Cut,
            WireDamage.Resistive => joint,
            _ => sound,
        };

    private void Attach(Network network, SheetComponent component, bool powered, bool isOff)
    {
        var terminals = component.Pins.Select(p => p.Terminal).ToList();
        string Plug(string terminal) => Own(component.Name, terminal);
        foreach (var terminal in terminals)
            network.Resistor(Plug(terminal), Root(component, terminals, terminal), Branch(component, terminals, terminal));
        foreach (var fault in plan.Faults.Where(f => f.Component == component.Name))
            if (Touched(fault, terminals) is { } other)
                network.Resistor(Plug(fault.Terminal), other == "battery +" ? other : Plug(other), Bridge);
        foreach (var signal in terminals.Where(t => Terminals.IsSignal(t)))
            ModuleEnd(network, component, terminals, signal, powered);
        if (!isOff)
            Load(network, terminals, Plug);
    }

    /// <summary>Where a wire comes from.</summary>
    private static string Root(SheetComponent component, List<string> terminals, string terminal) =>
        Terminals.IsSignal(terminal) ? Own(component.Name, $"module {terminal}")
        : terminal == "ground" && IsMotor(terminals) ? "chassis"
        : $"splice/{terminal}";

    private static bool IsMotor(List<string> terminals) => terminals.TrueForAll(t => t is "supply" or "ground");

    private static bool IsValve(List<string> terminals) => terminals.Contains("supply") && !terminals.Contains("ground");

    private double Branch(SheetComponent component, List<string> terminals, string terminal) =>
        plan.Faults.FirstOrDefault(f => f.Component == component.Name && f.Terminal == terminal)?.Damage switch
        {
            WireDamage.Broken => Cut,
            WireDamage.Resistive when IsMotor(terminals) => JointOfMotor,
            WireDamage.Resistive when IsValve(terminals) => JointOfValve,
            WireDamage.Resistive when Terminals.IsSignal(terminal) => JointOfSignal,
            WireDamage.Resistive => JointOfSensor,
            _ => Wire,
        };

    private static string? Touched(WireFault fault, List<string> terminals) =>
        fault.Damage switch
        {
            WireDamage.OnGround => terminals.Find(t => t == "ground"),
            WireDamage.OnSupply => terminals.Find(t => Terminals.IsSupply(t) && t != fault.Terminal),
            WireDamage.OnBattery => "battery +",
            WireDamage.OnSignal => terminals.Find(t => Terminals.IsSignal(t) && t != fault.Terminal),
            _ => null,
        };

    /// <summary>What a module does at its end of a signal: it switches a valve, biases a coil, or listens to a sensor.</summary>
    private static void ModuleEnd(Network network, SheetComponent component, List<string> terminals, string signal, bool powered)
    {
        var end = Own(component.Name, $"module {signal}");
        if (IsValve(terminals))
            network.Resistor(end, "module ground", powered ? Wire : Input);
        else if (terminals.Contains("signal 2") && !terminals.Contains("ground"))
            if (signal == "signal" && powered)
                network.Source(end, "module ground", Regulated, 10_000);
            else
                network.Resistor(end, "module ground", 10_000);
        else
            network.Resistor(end, "module ground", Input);
    }

    private static void Load(Network network, List<string> terminals, Func<string, string> plug)
    {
        var supply = terminals.Find(t => Terminals.IsSupply(t));
        if (supply is null && terminals.Contains("signal 2"))
            network.Resistor(plug("signal"), plug("signal 2"), Coil);
        else if (supply is not null && IsMotor(terminals))
            network.Resistor(plug(supply), plug("ground"), Motor);
        else if (supply is not null && IsValve(terminals))
            network.Resistor(plug(supply), plug("signal"), Valve);
        else if (supply is not null)
            LoadOfSensor(network, terminals, plug, supply);
    }

    /// <summary>A sensor takes its current and gives a part of its supply on each signal; fed by the battery it gives less of it.</summary>
    private static void LoadOfSensor(Network network, List<string> terminals, Func<string, string> plug, string supply)
    {
        network.Resistor(plug(supply), plug("ground"), Sensor);
        foreach (var signal in terminals.Where(t => Terminals.IsSignal(t)))
        {
            network.Resistor(plug(supply), plug(signal), supply == "supply" ? 4 * Output : Output);
            network.Resistor(plug(signal), plug("ground"), Output);
        }
    }
}
