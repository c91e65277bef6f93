using BenchmarkDotNet.Running;
using Maschera.Benchmarks;

// dotnet run -c Release --project benchmarks/Maschera.Benchmarks            readings beside the plain read of the same file
// dotnet run -c Release --project benchmarks/Maschera.Benchmarks -- FILE    the angle clock on float32 samples at 500 kS/s
if (args is [var file])
    AngleClockTiming.Run(file);
else
    BenchmarkRunner.Run<ReadingBenchmarks>();
