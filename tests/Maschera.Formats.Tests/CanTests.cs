using System.Globalization;
using System.Text;
using CsCheck;
using Maschera.Core.Basics;
using Maschera.Core.Readings;
using Maschera.Core.Readings.OnBoardTests;
using Maschera.Core.Signals;
using Maschera.Core.Vehicle;

namespace Maschera.Formats.Tests;

/// <summary>CAN logs, messages in frames, service $06, live values and DBC descriptions.</summary>
public class CanTests
{
    [Theory]
    [InlineData("(1700000000.000000) can0 7E8#0341057B")]
    [InlineData("  can0  7E8   [4]  03 41 05 7B")]
    [InlineData(" (000.000000)  vcan1       7E8   [4]  03 41 05 7B")]
    [InlineData("(0.5) can0 000007E8#03.41.05.7B")]
    public void Frames_are_read_in_every_form_candump_writes(string line)
    {
        var frame = Assert.Single(CandumpFile.Read("# bench\n" + line + "\r\n", "x.log").Frames);
        Assert.Equal((0x7E8u, line.Contains("000007E8", StringComparison.Ordinal)), (frame.Id, frame.IsExtended));
        Assert.Equal([0x03, 0x41, 0x05, 0x7B], frame.Data);
    }

    [Fact]
    public void Error_and_remote_frames_and_a_cut_last_line_are_left_out_and_said()
    {
        var log = CandumpFile.Read(
            "(1.0) can0 7E8#R\n(1.1) can0 20000004#0000000000000000\n(1.2) can0 7E8##10341057B\n(1.3) can0 7E8#034105",
            "x.log"
        );
        Assert.Equal(2, log.Frames.Count);
        Assert.Equal([0x03, 0x41, 0x05, 0x7B], log.Frames[0].Data);
        Assert.Equal(0.1, log.Frames[1].Seconds, 6);
        Assert.Equal(["error-frames"], log.Notes.Select(n => n.Code));
        Assert.Equal("cut-line", Assert.Single(CandumpFile.Read("(1.0) can0 7E8#0341057B\n(1.1) can0 7E", "x.log").Notes).Code);
        var error = Assert.Throws<CaptureFormatException>(() =>
            CandumpFile.Read("(1.0) can0 7E8#0341057B\nrubbish\n(1.1) can0 7E8#00", "x.log")
        );
        Assert.StartsWith("x.log, line 2: ", error.Message, StringComparison.Ordinal);
        Assert.Throws<CaptureFormatException>(() => CandumpFile.Read("# nothing\n", "x.log"));
    }

    [Theory]
    [InlineData("0.000000", "0.010000", 0.01)]
    [InlineData("1700000000.000000", "1700000000.010000", 0.01)]
    [InlineData("1764078123.271828", "1764078123.271829", 1e-6)]
    [InlineData("1764078123.999999", "1764081724.000000", 3600.000001)]
    public void The_start_is_taken_off_without_losing_a_microsecond(string start, string next, double seconds)
    {
        var log = CandumpFile.Read($"({start}) can0 7E8#00\n({next}) can0 7E8#00\n", "x.log");
        Assert.Equal(0, log.Frames[0].Seconds);
        Assert.Equal(seconds, log.Frames[1].Seconds);
    }

    [Fact]
    public void Messages_of_any_length_come_back_whole_also_between_each_other() =>
        Gen
            .Byte.Array[1, 300]
            .Select(Gen.Byte.Array[1, 300], Gen.Int[0, 1000])
            .Sample(
                (one, two, seed) =>
                {
                    var (a, b) = (new Queue<byte[]>(Split(one)), new Queue<byte[]>(Split(two)));
                    var random = new Random(seed);
                    var frames = new List<CanFrame>();
                    while (a.Count + b.Count > 0)
                    {
                        var first = b.Count == 0 || a.Count > 0 && random.Next(2) == 0;
                        frames.Add(
                            new CanFrame(
                                frames.Count * 1e-3,
                                "can0",
                                first ? 0x7E8u : 0x18DAF110u,
                                !first,
                                first ? a.Dequeue() : b.Dequeue()
                            )
                        );
                    }

                    var assembler = MessageAssembler.Of(frames);
                    Assert.Empty(assembler.Notes);
                    Assert.Equal(one, Assert.Single(assembler.Messages, m => m.Ecu == "7E8").Data);
                    Assert.Equal(two, Assert.Single(assembler.Messages, m => m.Ecu == "18DAF110").Data);
                }
            );

    [Fact]
    public void A_lost_repeated_or_swapped_frame_gives_no_value_but_a_note_and_the_next_message_counts() =>
        Gen
            .Byte.Array[9, 120]
            .Select(Gen.Int[0, 2], Gen.Int[0, 1000])
            .Sample(
                (data, how, seed) =>
                {
                    var frames = Split(data).ToList();
                    var at = 1 + new Random(seed).Next(frames.Count - 1);
                    if (how == 0)
                        frames.RemoveAt(at);
                    else if (how == 1)
                        frames.Insert(at, frames[at]);
                    else if (at + 1 < frames.Count)
                        (frames[at], frames[at + 1]) = (frames[at + 1], frames[at]);
                    else
                        frames.RemoveAt(at);
                    // A frame repeated at the very end comes when the message is whole already, and changes nothing.
                    var harmless = how == 1 && at == frames.Count - 2;
                    byte[] next = [0x46, 0xA2, 0x0B];
                    var assembler = MessageAssembler.Of([
                        .. frames.Concat(Split(next)).Select((f, i) => new CanFrame(i * 1e-3, "can0", 0x7E8, false, f)),
                    ]);
                    Assert.Equal(harmless ? 2 : 1, assembler.Messages.Count);
                    Assert.Equal(next, assembler.Messages[^1].Data);
                    if (!harmless)
                        Assert.Contains(assembler.Notes, n => n.Code == "message-lost");
                }
            );

    [Fact]
    public void Every_unit_and_scaling_id_is_scaled_and_signed_by_the_standard()
    {
        // Worked by hand from the standard's table: least and greatest 16 bits of some ids of every kind.
        foreach (
            var (id, bits, value, unit) in ((byte, int, double, string)[])
                [
                    (0x01, 0xFFFF, 65535, ""),
                    (0x07, 0xFFFF, 16383.75, "rpm"),
                    (0x0A, 0x1234, 0.56852, "V"),
                    (0x0B, 0xFFFF, 65.535, "V"),
                    (0x10, 0xFFFF, 65.535, "s"),
                    (0x16, 0x0000, -40, "°C"),
                    (0x16, 0xFFFF, 6513.5, "°C"),
                    (0x1B, 1, 10, "kPa"),
                    (0x1E, 0x8000, 0.999424, "lambda"),
                    (0x24, 0x00FA, 250, "counts"),
                    (0x39, 0x0000, -327.68, "%"),
                    (0x39, 0xFFFF, 327.67, "%"),
                    (0x81, 0x8000, -32768, ""),
                    (0x81, 0x7FFF, 32767, ""),
                    (0x8B, 0xFFFF, -0.001, "V"),
                    (0x96, 0x8000, -3276.8, "°C"),
                    (0xAF, 0xFFFF, -0.01, "%"),
                    (0xFE, 0x8000, -8192, "Pa"),
                    (0xFD, 0x0001, 0.001, "kPa"),
                ]
        )
        {
            var scaling = UnitAndScaling.Find(id)!.Value;
            Assert.Equal(
                value,
                scaling.Scaled(UnitAndScaling.Number(id, (byte)(bits >> 8), (byte)bits)),
                1e-4 * Math.Max(1, Math.Abs(value))
            );
            Assert.Equal(unit, scaling.Unit);
        }

        Assert.All(UnitAndScaling.All, u => Assert.True(u.Factor > 0));
        Assert.Null(UnitAndScaling.Find(0x7F));
        Assert.Null(UnitAndScaling.Find(0xC0));
    }

    [Fact]
    public void On_board_tests_pass_fail_or_have_not_run_and_zero_counters_prove_nothing()
    {
        var result = Read(
            "46 A2 0B 24 00 05 00 00 FF FF A2 0C 24 00 07 00 00 FF FF\n46 01 05 0B 10 00 20 00 30 00\n46 31 81 81 FE 00 FF 00 01 "
                + "00\n46 21 80 7F 00 05 00 00 00 09\n46 85 80 24 00 00 00 00 00 00\n"
        );
        Assert.Equal("fail", result.Verdict);
        Assert.Equal(new MisfireCounts(1, 7, 5, null), Assert.Single(result.Misfires));
        Assert.Equal([true, true, false, false, true, null], result.Tests.Select(t => t.Passed));
        Assert.Equal("Oxygen sensor bank 1 sensor 1", result.Tests[2].MonitorName);
        Assert.Equal((-512, -256, 256), ((int)result.Tests[3].Value, (int)result.Tests[3].Minimum, (int)result.Tests[3].Maximum));
        Assert.Equal(["unknown-scaling", "not-run"], result.Notes.Select(n => n.Code));
        Assert.Contains(Read("46 A2 0B 24 00 00 00 00 FF FF\n").Notes, n => n.Code == "counters-zero");
        Assert.Equal(Verdict.UnusableWord, Read("46 A2 0B 24 00 00 00 00 00 00\n").Verdict);
        Assert.Equal("wrong-length", Read("46 A2 0B 24 00 05 00 00 FF\n").Notes[1].Code);
        Assert.Equal("no-tests", Read("46 00 C0 00 00 01\n7F 06 11\n").Notes[0].Code);
        foreach (var rubbish in (string[])["hello world", "46A", "\n"])
            Assert.Throws<CaptureFormatException>(() => Read(rubbish));
    }

    [Fact]
    public void Two_modules_with_the_same_monitor_stay_apart()
    {
        var log = new StringBuilder();
        foreach (var (id, count) in (IEnumerable<(string, int)>)[("7E8", 3), ("7E9", 9)])
        foreach (var frame in Split([0x46, 0xA2, 0x0B, 0x24, 0, (byte)count, 0, 0, 0xFF, 0xFF]))
            log.Append(CultureInfo.InvariantCulture, $"(1.0) can0 {id}#{Convert.ToHexString(frame)}\n");
        var result = Read(log.ToString());
        Assert.Equal([("7E8", 3.0), ("7E9", 9.0)], result.Tests.Select(t => (t.Ecu!, t.Value)));
        Assert.Equal(2, result.Misfires.Count);
    }

    [Fact]
    public void Live_values_of_a_log_become_channels_with_their_own_times()
    {
        var capture = CanLog.Decode(
            "(10.0) can0 7DF#02010C\n(10.0) can0 7E8#04410C0C80\n(10.1) can0 7E8#0341057B\n(10.2) can0 7E8#04410C0D00\n(10.3) can0 "
                + "7E8#06410C0E00055A\n",
            "x.log",
            null
        );
        Assert.Equal(["Engine speed", "Coolant temperature"], capture.Channels.Select(c => c.Name));
        Assert.Equal([800f, 832f, 896f], capture.Channels[0].Samples);
        Assert.Equal([83f, 50f], capture.Channels[1].Samples);
        Assert.Equal([0, 0.2, 0.3], capture.Channels[0].Time.Stamps!.Select(t => Math.Round(t, 6)));
        Assert.Throws<CaptureFormatException>(() => CanLog.Decode("(10.0) can0 123#0011\n", "x.log", null));
    }

    [Theory]
    [InlineData("10A#04410C0C80")]
    [InlineData("7DF#04410C0C80")]
    [InlineData("18DAF110#04410C0C80", 1)]
    [InlineData("18DA10F1#04410C0C80")]
    [InlineData("7EF#04410C0C80", 1)]
    public void Only_who_answers_a_tester_gives_live_values(string frame, int channels = 0)
    {
        var log = $"(10.0) can0 7E8#0341057B\n(10.1) can0 {frame}\n";
        Assert.Equal(1 + channels, CanLog.Decode(log, "x.log", null).Channels.Count);
    }

    [Fact]
    public void A_long_log_is_streamed_with_every_sample_at_its_time()
    {
        // Two identifiers, one ten times as often: 30,000 frames, more than a block of either.
        var log = new StringBuilder();
        for (var i = 0; i < 30_000; i++)
            log.Append(CultureInfo.InvariantCulture, $"({100 + i * 1e-3:0.000000}) can0 {(i % 10 == 0 ? "101" : "100")}#{i:X4}\n");
        var path = Path.GetTempFileName();
        File.WriteAllText(path, log.ToString());
        var description = DbcFile.Parse(
            "BO_ 256 Fast: 2 A\n SG_ F : 7|16@0+ (1,0) [0|65535] \"\" A\nBO_ 257 Slow: 2 A\n SG_ S : 7|16@0+ (1,0) [0|65535] \"\" A\n",
            "d.dbc"
        );
        var told = new List<long>();
        var sink = new MemorySink();
        CaptureFile.Read(path, "x.log", sink, new Told(told), description);
        var capture = sink.ToCapture("x", []);
        File.Delete(path);
        Assert.Equal(["S", "F"], capture.Channels.Select(c => c.Name));
        Assert.Equal(Enumerable.Range(0, 3_000).Select(i => 10f * i), capture.Channels[0].Samples);
        Assert.Equal(Enumerable.Range(0, 30_000).Where(i => i % 10 > 0).Select(i => (float)i), capture.Channels[1].Samples);
        Assert.All(Enumerable.Range(0, 3_000), i => Assert.Equal(i * 1e-2, capture.Channels[0].Time[i], 6));
        Assert.Equal(told.Order(), told);
        Assert.Equal(log.Length, told[^1]);
    }

    private sealed class Told(List<long> told) : IProgress<long>
    {
        public void Report(long value) => told.Add(value);
    }

    [Fact]
    public void Trouble_codes_are_written_as_the_trade_writes_them()
    {
        foreach (var code in (string[])["P0301", "P1A2F", "C0123", "B2AAA", "U3FFF"])
            Assert.Equal(code, TroubleCode.Of(TroubleCode.Bytes(code).High, TroubleCode.Bytes(code).Low));
        Assert.Equal(["P0340", "U0100"], TroubleCode.InAnswer([0x43, 2, 0x03, 0x40, 0xC1, 0x00]));
        Assert.Empty(TroubleCode.InAnswer([0x43, 3, 0x03, 0x40]));
        foreach (var none in (string[])["P4000", "X0123", "P012", "P012G"])
            Assert.False(TroubleCode.IsCode(none));
    }

    private const string Description = """
        VERSION "made up"
        NS_ :
         CM_
        BU_: Engine Gateway
        BO_ 291 Drive: 8 Engine
         SG_ Speed : 0|16@1+ (0.25,0) [0|16000] "rpm" Gateway
         SG_ Torque : 23|12@0- (0.5,-10) [-1000|1000] "Nm" Gateway
         SG_ Flag : 36|1@1+ (1,0) [0|1] "" Gateway
        BO_ 2566844672 Mixed: 8 Engine
         SG_ Page M : 0|8@1+ (1,0) [0|255] "" Gateway
         SG_ Oil m0 : 8|8@1+ (1,-40) [-40|215] "°C" Gateway
         SG_ Fuel m1 : 8|16@1- (0.01,0) [0|0] "bar" Gateway
         SG_ Inner m2M : 8|8@1+ (1,0) [0|0] "" Gateway
         SG_ Deep m3 : 16|8@1+ (1,0) [0|0] "V" Gateway
        BO_ 300 Float: 8 Engine
         SG_ Level : 7|32@0- (1,0) [0|0] "V" Gateway
        CM_ SG_ 291 Speed "A remark; with
        SG_ Fake : 0|8@1+ (1,0) [0|0] "" Gateway
        in it";
        SIG_VALTYPE_ 300 Level : 1;
        SG_MUL_VAL_ 2566844672 Deep Inner 3-5;
        """;

    [Fact]
    public void Dbc_signals_are_decoded_little_and_big_endian_signed_multiplexed_and_floating()
    {
        var file = DbcFile.Parse(Description, "x.dbc");
        Assert.Empty(file.Notes);
        Dictionary<string, double> Decode(uint id, bool extended, string hex) =>
            file.Find(id, extended)!.Decode(Convert.FromHexString(hex)).ToDictionary(d => d.Signal.Name, d => d.Value);
        // Worked by hand: 0x0D80 / 4; the twelve bits of FFE are -2; bit 36 is bit 4 of byte 4.
        var drive = Decode(291, false, "800DFFE010000000");
        Assert.Equal((864, -11, 1), (drive["Speed"], drive["Torque"], drive["Flag"]));
        Assert.Equal(3, file.Find(291, false)!.Signals.Count);
        const uint mixed = 2566844672 & 0x1FFFFFFF;
        Assert.Equal((50, false), Decode(mixed, true, "005A000000000000") is var a ? (a["Oil"], a.ContainsKey("Fuel")) : default);
        Assert.Equal(-0.56, Decode(mixed, true, "01C8FF0000000000")["Fuel"], 9);
        Assert.Equal(7, Decode(mixed, true, "0204070000000000")["Deep"]);
        Assert.False(Decode(mixed, true, "0206070000000000").ContainsKey("Deep"));
        Assert.Equal(1.5, Decode(300, false, "3FC0000000000000")["Level"]);
        Assert.Empty(Decode(291, false, ""));
    }

    [Fact]
    public void Packing_by_another_way_and_decoding_gives_the_same_number() =>
        Gen.Select(Gen.Int[1, 52], Gen.Bool, Gen.Bool, Gen.Int[0, 63], Gen.Long)
            .Sample(
                (length, big, signed, offset, raw) =>
                {
                    // An independent packing: the whole frame as one 64-bit number, written in the order of the bytes.
                    var mask = (1UL << length) - 1;
                    var place = offset % (65 - length);
                    var bytes = big
                        ? BitConverter.GetBytes(System.Buffers.Binary.BinaryPrimitives.ReverseEndianness(((ulong)raw & mask) << place))
                        : BitConverter.GetBytes(((ulong)raw & mask) << place);
                    var top = place + length - 1;
                    var start = big ? (7 - top / 8) * 8 + top % 8 : place;
                    var signal = new DbcSignal("x", start, length, big, signed, 1, 0, "");
                    var wanted = signed ? (long)((ulong)raw << (64 - length)) >> (64 - length) : (long)((ulong)raw & mask);
                    Assert.Equal(wanted, signal.Raw(bytes));
                },
                iter: 2_000
            );

    [Theory]
    [InlineData("hello", null)]
    [InlineData("BO_ x Name: 8 Engine", 1)]
    [InlineData("SG_ A : 0|8@1+ (1,0) [0|0] \"\" B", 1)]
    [InlineData("BO_ 1 A: 8 B\n SG_ A : 0|8@7+ (1,0) [0|0] \"\" B", 2)]
    [InlineData("BO_ 1 A: 8 B\n SG_ A : 0|8@1+ (a,0) [0|0] \"\" B", 2)]
    [InlineData("BO_ 99999999999999999999 A: 8 B", 1)]
    public void A_description_that_can_t_be_understood_is_refused_with_its_line(string text, int? line)
    {
        var error = Assert.Throws<CaptureFormatException>(() => DbcFile.Parse(text, "x.dbc"));
        Assert.StartsWith(line is null ? "x.dbc" : $"x.dbc, line {line}: ", error.Message, StringComparison.Ordinal);
    }

    [Fact]
    public void Absurd_signals_and_messages_are_left_out_and_said()
    {
        var file = DbcFile.Parse(
            "BO_ 1 A: 8 B\n SG_ Long : 0|65@1+ (1,0) [0|0] \"\" B\n SG_ Out : 60|8@1+ (1,0) [0|0] \"\" B\n SG_ Flat : 0|8@1+ (0,5) "
                + "[0|0] \"\" B\n SG_ Good : 0|8@1+ (1,0) [0|0] \"\" B\n SG_ Good : 8|8@1+ (1,0) [0|0] \"\" B\nBO_ 2 Huge: 999 B\nBO_ "
                + "5000 NoBus: 8 B\nBO_ 1 Again: 8 B\n",
            "x.dbc"
        );
        Assert.Equal(["Good"], Assert.Single(file.Messages).Signals.Select(s => s.Name));
        Assert.Equal(
            ["absurd-signal", "absurd-signal", "absurd-signal", "twice", "absurd-message", "absurd-message", "twice"],
            file.Notes.Select(n => n.Code)
        );
    }

    [Fact]
    public void Mutated_descriptions_and_logs_give_a_result_or_one_line() =>
        Gen.Int[0, Description.Length - 1]
            .Select(Gen.Char, Gen.Int[0, 100_000])
            .Sample(
                (at, with, seed) =>
                {
                    var random = new Random(seed);
                    var mutated = new StringBuilder(Description);
                    mutated[at] = with;
                    mutated.Remove(random.Next(mutated.Length), 1);
                    try
                    {
                        var file = DbcFile.Parse(mutated.ToString(), "x.dbc");
                        var data = new byte[random.Next(9)];
                        random.NextBytes(data);
                        foreach (var message in file.Messages)
                            Assert.All(message.Decode(data), v => Assert.True(double.IsFinite(v.Value)));
                    }
                    catch (CaptureFormatException error)
                    {
                        Assert.DoesNotContain('\n', error.Message);
                    }
                },
                iter: 3_000
            );

    [Fact]
    public void A_log_with_its_description_is_read_as_a_capture_file()
    {
        var folder = Directory.CreateTempSubdirectory("maschera").FullName;
        try
        {
            var path = Path.Combine(folder, "drive.log");
            File.WriteAllText(path, "(5.00) can0 123#800DFFE010000000\n(5.01) can0 7E8#0341057B\n(5.02) can0 123#000EFFE000000000\n");
            var capture = CaptureFile.Load(path, description: DbcFile.Parse(Description, "x.dbc"));
            Assert.Equal(["Coolant temperature", "Speed", "Torque", "Flag"], capture.Channels.Select(c => c.Name));
            Assert.Equal([864f, 896f], capture.Find("speed")!.Samples);
            Assert.Equal(0.02, capture.Find("speed")!.Time.End, 6);
            Assert.Equal("CAN log", CaptureFile.Inspect(path, "drive.log").Kind);
        }
        finally
        {
            Directory.Delete(folder, recursive: true);
        }
    }

    [Fact]
    public void A_count_that_no_answer_held_is_not_said_as_none()
    {
        Assert.EndsWith("cylinder 1, 9 on average.", Read("46 A2 0B 24 00 09 00 00 FF FF").Sentence, StringComparison.Ordinal);
        Assert.EndsWith("cylinder 1, 4 in the last cycle.", Read("46 A2 0C 24 00 04 00 00 FF FF").Sentence, StringComparison.Ordinal);
    }

    private static OnBoardTestsResult Read(string text) =>
        (OnBoardTestsResult)
            new OnBoardTestsReading().Read(
                new ReadingRequest(new Capture("x", [], [])) { Messages = CandumpFile.ReadMessages(text, "x.txt") }
            );

    /// <summary>A message in frames of 8 bytes, padded with AA.</summary>
    private static IEnumerable<byte[]> Split(byte[] data)
    {
        byte[] Padded(IEnumerable<byte> bytes) => [.. bytes.Concat(Enumerable.Repeat((byte)0xAA, 8)).Take(8)];
        if (data.Length < 8)
            return [Padded([(byte)data.Length, .. data])];
        return
        [
            Padded([(byte)(0x10 | data.Length >> 8), (byte)data.Length, .. data.Take(6)]),
            .. data.Skip(6).Chunk(7).Select((chunk, i) => Padded([(byte)(0x20 | (i + 1) % 16), .. chunk])),
        ];
    }
}
