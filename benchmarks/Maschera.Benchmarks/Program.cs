using System.Globalization;
using BenchmarkDotNet.Running;
using Maschera.Benchmarks;

// dotnet run -c Release --project benchmarks/Maschera.Benchmarks                readings beside the plain read of the same file
// dotnet run -c Release --project benchmarks/Maschera.Benchmarks -- FILE        the angle clock on float32 samples at 500 kS/s
// dotnet run -c Release --project benchmarks/Maschera.Benchmarks -- decide N    hidden faults from seed N looked for in three ways
if (args is ["decide", var seed])
    DecidedSearch.Run(int.Parse(seed, CultureInfo.InvariantCulture));
else if (args is [var file])
    AngleClockTiming.Run(file);
else
    BenchmarkRunner.Run<ReadingBenchmarks>();
