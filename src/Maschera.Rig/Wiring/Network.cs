using MathNet.Numerics.LinearAlgebra;

namespace Maschera.Rig.Wiring;

/// <summary>
/// Resistors and sources between named nodes, solved by node voltages (Kirchhoff's current law at every node; Horowitz and Hill, The
/// Art of Electronics, appendix on circuit analysis). "battery -" is zero.
/// </summary>
internal sealed class Network
{
    private const string Zero = "battery -";

    /// <summary>S from every node to zero, so that one nothing hangs on has a voltage too.</summary>
    private const double Leak = 1e-10;

    private readonly Dictionary<string, int> _nodes = [];
    private readonly List<(string One, string Other, double Siemens)> _resistors = [];
    private readonly List<(string Into, string OutOf, double Amperes)> _currents = [];

    /// <summary>A resistor of so many Ω.</summary>
    public void Resistor(string one, string other, double ohms)
    {
        Name(one);
        Name(other);
        _resistors.Add((one, other, 1 / ohms));
    }

    /// <summary>A source of so many V behind so many Ω.</summary>
    public void Source(string plus, string minus, double volts, double ohms)
    {
        Resistor(plus, minus, ohms);
        Current(plus, minus, volts / ohms);
    }

    /// <summary>A current of so many A into one node and out of the other.</summary>
    public void Current(string into, string outOf, double amperes)
    {
        Name(into);
        Name(outOf);
        _currents.Add((into, outOf, amperes));
    }

    /// <summary>True where something hangs on the node.</summary>
    public bool Has(string node) => node == Zero || _nodes.ContainsKey(node);

    /// <summary>V of one node against the other.</summary>
    public double Volts(string one, string other)
    {
        var solved = Solve();
        return At(solved, one) - At(solved, other);
    }

    private double At(Vector<double> solved, string node) => node == Zero ? 0 : solved[_nodes[node]];

    private void Name(string node)
    {
        if (node != Zero)
            _nodes.TryAdd(node, _nodes.Count);
    }

    private Vector<double> Solve()
    {
        var admittance = Matrix<double>.Build.Dense(_nodes.Count, _nodes.Count);
        var currents = Vector<double>.Build.Dense(_nodes.Count);
        for (var i = 0; i < _nodes.Count; i++)
            admittance[i, i] = Leak;
        foreach (var (one, other, siemens) in _resistors)
        {
            Add(one, one, siemens);
            Add(other, other, siemens);
            Add(one, other, -siemens);
            Add(other, one, -siemens);
        }

        foreach (var (into, outOf, amperes) in _currents)
        {
            if (into != Zero)
                currents[_nodes[into]] += amperes;
            if (outOf != Zero)
                currents[_nodes[outOf]] -= amperes;
        }

        return admittance.Solve(currents);

        void Add(string row, string column, double siemens)
        {
            if (row != Zero && column != Zero)
                admittance[_nodes[row], _nodes[column]] += siemens;
        }
    }
}
