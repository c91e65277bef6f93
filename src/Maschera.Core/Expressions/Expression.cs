using Maschera.Core.Signals;

namespace Maschera.Core.Expressions;

/// <summary>A function of the notation.</summary>
/// <param name="Name">Its name.</param>
/// <param name="Form">How it is written.</param>
/// <param name="Says">What it gives, with units.</param>
public sealed record ExpressionFunction(string Name, string Form, string Says);

/// <summary>
/// A derived channel: an expression over channels, worked out piece by piece on the axis of the first channel it names.
/// Channels on another axis are read on straight lines between their samples.
/// </summary>
public sealed class Expression
{
    /// <summary>Widest window of smooth, lowpass and highpass, samples.</summary>
    private const int MostWindow = 2_000_000;

    private const int MostMedian = 1_001;

    /// <summary>
    /// Width of each of three running means in a row whose joint gain is 3 dB down at 1 Hz: (sin x / x)³ = 0.7079 at
    /// x = π f T gives f T = 0.2605.
    /// </summary>
    private const double ThreeMeansWidth = 0.2605;

    private const int Chunk = 16_384;

    private readonly Term _term;
    private readonly IReadOnlyDictionary<string, ISampleReader> _channels;
    private readonly ISampleReader _axis;

    private Expression(Term term, IReadOnlyDictionary<string, ISampleReader> channels)
    {
        _term = term;
        _channels = channels;
        _axis = First(term) is { } name ? Find(name) : throw new ExpressionException("The expression names no channel.");
        Unit = UnitOf(term);
    }

    /// <summary>All functions, for the page that explains them.</summary>
    public static IReadOnlyList<ExpressionFunction> Functions { get; } =
    [
        new("abs", "abs(x)", "size without sign, in the unit of x"),
        new("sqrt", "sqrt(x)", "square root"),
        new("min", "min(x, y)", "the smaller of the two"),
        new("max", "max(x, y)", "the larger of the two"),
        new("derivative", "derivative(x)", "slope through the two neighbours, in units of x a second"),
        new("integral", "integral(x)", "area since the first sample, in units of x times seconds"),
        new("smooth", "smooth(x, s)", "mean over s seconds round each sample"),
        new("lowpass", "lowpass(x, f)", "without what is faster than f Hz (3 dB down there), not delayed"),
        new("highpass", "highpass(x, f)", "without what is slower than f Hz and without the mean, not delayed"),
        new("median", "median(x, n)", "middle value of n samples round each, n odd, 3 to 1001"),
        new("delay", "delay(x, s)", "x moved later by s seconds, earlier where s is negative"),
        new("frequency", "frequency(x)", "of a pulse train, from each rising edge to the next, Hz"),
        new("period", "period(x)", "of a pulse train, from each rising edge to the next, s"),
        new("duty", "duty(x)", "share of each period above the middle, %"),
        new("width", "width(x)", "time above the middle in each period, s"),
        new("speed", "speed(x, n)", "of a wheel with n teeth, missing ones counted, tooth by tooth with gaps bridged, rpm"),
        new("whine", "whine(x, n)", "of the sound of cranking: the crank's speed by how high the starter sings, n in its middle, rpm"),
    ];

    /// <summary>The unit that follows from the channels; a person may put another.</summary>
    public string Unit { get; }

    /// <summary>The axis of the result.</summary>
    public ISampleReader Axis => _axis;

    /// <summary>Understands an expression.</summary>
    /// <param name="channels">The channels it may name, by name in any case.</param>
    /// <exception cref="ExpressionException">It can't be understood; the message says where.</exception>
    public static Expression Read(string text, IEnumerable<ISampleReader> channels)
    {
        var byName = new Dictionary<string, ISampleReader>(StringComparer.OrdinalIgnoreCase);
        foreach (var channel in channels)
            byName.TryAdd(channel.Name, channel);
        var term = Notation.Read(text, byName.Keys);
        if (term is Claim)
            throw ExpressionException.At(term.At, "a comparison makes no channel; look for it under Find, or take the comparison out");
        var expression = new Expression(term, byName);
        expression.Check(expression._term);
        return expression;
    }

    /// <summary>Works the expression out into a sink as one channel of that name.</summary>
    /// <exception cref="ExpressionException">It can't be worked out on these samples.</exception>
    public void Evaluate(
        Action<ReadOnlyMemory<double>, ReadOnlyMemory<float>> take,
        IProgress<double>? progress = null,
        CancellationToken cancel = default
    )
    {
        using var stream = Open(_term);
        using var times = new Times(_axis);
        var values = new float[Chunk];
        var seconds = new double[Chunk];
        for (var done = 0; done < _axis.Count; )
        {
            cancel.ThrowIfCancellationRequested();
            var count = stream.Read(values.AsSpan(0, Math.Min(Chunk, _axis.Count - done)));
            if (count == 0)
                break;
            for (var i = 0; i < count; i++)
            {
                seconds[i] = times.Next();
                if (!float.IsFinite(values[i]))
                    values[i] = float.NaN;
            }

            take(seconds.AsMemory(0, count), values.AsMemory(0, count));
            done += count;
            progress?.Report(done / (double)_axis.Count);
        }
    }

    private static ChannelName? First(Term term) =>
        term as ChannelName ?? term.Parts.Select(First).FirstOrDefault(name => name is not null);

    private ISampleReader Find(ChannelName name) => ChannelNames.Find(name, _channels.Values, c => c.Name, c => c.Unit);

    /// <summary>A channel's name as the notation wants it.</summary>
    public static string Written(string name) => ChannelNames.Written(name);

    private void Check(Term term)
    {
        if (term is ChannelName name)
            Find(name);
        else if (term is Call call)
            CheckCall(call);
        foreach (var part in term.Parts)
            Check(part);
    }

    private void CheckCall(Call call)
    {
        var function =
            Functions.FirstOrDefault(f => f.Name == call.Function)
            ?? throw new ExpressionException(
                $"At place {call.At}: there is no function '{call.Function}'. There are {string.Join(", ", Functions.Select(f => f.Name))}."
            );
        var wanted = function.Form.Count(c => c == ',') + 1;
        if (call.Arguments.Count != wanted)
            throw new ExpressionException(
                $"At place {call.At}: {function.Form} takes {wanted} in its brackets, not {call.Arguments.Count}."
            );
        if (call.Function is "smooth" or "lowpass" or "highpass")
            Half(call);
        if (call.Function == "median")
            MedianHalf(call);
        if (call.Function == "speed" && !(Constant(call) >= 1))
            throw new ExpressionException($"At place {call.At}: a wheel has at least one tooth.");
        if (call.Function == "whine" && !(Constant(call) > 0))
            throw new ExpressionException($"At place {call.At}: the middle speed lies above zero.");
        if (call.Function == "delay")
            Constant(call);
    }

    /// <summary>The second argument, which has to be a plain number.</summary>
    private static double Constant(Call call) =>
        call.Arguments[1] switch
        {
            Number number => number.Value,
            Operation { Sign: '-', Left: Number { Value: 0 }, Right: Number number } => -number.Value,
            _ => throw new ExpressionException($"At place {call.Arguments[1].At}: {call.Function} wants a plain number here."),
        };

    /// <summary>Samples on either side of the window of a smoothing function.</summary>
    private int Half(Call call)
    {
        var value = Constant(call);
        if (!(value > 0))
            throw new ExpressionException($"At place {call.Arguments[1].At}: {call.Function} wants a number above zero here.");
        var seconds = call.Function == "smooth" ? value : ThreeMeansWidth / value;
        // Wider than the capture is the same as all of it.
        var half = Math.Min(Math.Round(Math.Max(0, seconds / _axis.Step - 1) / 2), _axis.Count);
        if (half > MostWindow)
            throw new ExpressionException(
                $"At place {call.Arguments[1].At}: the window would span {2 * half:0} samples; {2 * MostWindow} are the most. Take a "
                    + $"shorter one."
            );
        return (int)half;
    }

    private static int MedianHalf(Call call)
    {
        var count = Constant(call);
        return count is >= 3 and <= MostMedian && count % 2 == 1
            ? (int)count / 2
            : throw new ExpressionException(
                $"At place {call.Arguments[1].At}: median wants an odd number of samples from 3 to {MostMedian}."
            );
    }

    private string UnitOf(Term term) =>
        term switch
        {
            ChannelName name => Find(name).Unit,
            Operation operation => UnitOf(operation),
            Call call => UnitOf(call),
            _ => "",
        };

    private string UnitOf(Operation operation)
    {
        var (left, right) = (UnitOf(operation.Left), UnitOf(operation.Right));
        return operation.Sign switch
        {
            '*' => left.Length == 0 ? right
            : right.Length == 0 ? left
            : $"{left}·{right}",
            '/' => right.Length == 0 ? left
            : left == right ? ""
            : $"{(left.Length == 0 ? "1" : left)}/{right}",
            '^' => "",
            _ => left.Length > 0 ? left : right,
        };
    }

    private string UnitOf(Call call)
    {
        if (call.Arguments.Count == 0)
            return "";
        var of = UnitOf(call.Arguments[0]);
        return call.Function switch
        {
            "sqrt" => "",
            "derivative" => of.Length == 0 ? "1/s" : $"{of}/s",
            "integral" => of.Length == 0 ? "s" : $"{of}·s",
            "frequency" => "Hz",
            "period" or "width" => "s",
            "duty" => "%",
            "speed" or "whine" => "rpm",
            _ => of,
        };
    }

    private SampleStream Open(Term term) =>
        term switch
        {
            Number number => new ConstantStream(number.Value),
            ChannelName name => OpenChannel(Find(name)),
            Operation operation => new JoinedStream(Open(operation.Left), Open(operation.Right), operation.Works),
            Call call => OpenCall(call),
            _ => throw new InvalidOperationException(),
        };

    private SampleStream OpenChannel(ISampleReader reader)
    {
        var same =
            ReferenceEquals(reader, _axis)
            || reader.IsUniform
                && _axis.IsUniform
                && reader.Count == _axis.Count
                && reader.Start == _axis.Start
                && reader.Step == _axis.Step;
        return same ? new PlainStream(reader) : new MovedStream(new PlainStream(reader), reader, _axis, 0);
    }

    private SampleStream OpenCall(Call call)
    {
        var of = call.Arguments[0];
        return call.Function switch
        {
            "abs" => new MappedStream(Open(of), Math.Abs),
            "sqrt" => new MappedStream(Open(of), Math.Sqrt),
            "min" => new JoinedStream(Open(of), Open(call.Arguments[1]), Math.Min),
            "max" => new JoinedStream(Open(of), Open(call.Arguments[1]), Math.Max),
            "derivative" => new DerivativeStream(Open(of), _axis),
            "integral" => new IntegralStream(Open(of), _axis),
            "smooth" => new MeanStream(Open(of), Half(call), _axis.Count),
            "lowpass" => LowPass(Open(of), Half(call)),
            "highpass" => HighPass(Open(of), Half(call)),
            "median" => new MedianStream(Open(of), MedianHalf(call), _axis.Count),
            "delay" => new MovedStream(Open(of), _axis, _axis, Constant(call)),
            "speed" => new SteppedStream(Pulses.Speed(EdgesOf(of), Constant(call)), _axis),
            "whine" => new SteppedStream(Whine.Speed(() => Open(of), _axis, Constant(call)), _axis),
            _ => new SteppedStream(
                Pulses.EachPeriod(
                    EdgesOf(of),
                    call.Function switch
                    {
                        "frequency" => (a, _, c) => 1 / (c.Seconds - a.Seconds),
                        "period" => (a, _, c) => c.Seconds - a.Seconds,
                        "duty" => (a, b, c) => 100 * (b.Seconds - a.Seconds) / (c.Seconds - a.Seconds),
                        _ => (a, b, _) => b.Seconds - a.Seconds,
                    }
                ),
                _axis
            ),
        };
    }

    private List<Edge> EdgesOf(Term of) => Pulses.EdgesOf(() => Open(of), _axis);

    private MeanStream LowPass(SampleStream of, int half) =>
        new(new MeanStream(new MeanStream(of, half, _axis.Count), half, _axis.Count), half, _axis.Count);

    /// <summary>What is left when the slow part is taken away; the source is opened and read once for both.</summary>
    private JoinedStream HighPass(SampleStream of, int half)
    {
        var (plain, slow) = SharedStream.Split(of);
        return new JoinedStream(plain, LowPass(slow, half), (a, b) => a - b);
    }
}
