#nullable enable
using System;
using System.Collections.Generic;

namespace Marlwend;

/// <summary>The slate on which the keeper of one shift notes what the water does.</summary>
public sealed class KeeperBoard : IDisposable
{
    private readonly List<string> _lines = new();
    private readonly Gauge _gauge;

    public KeeperBoard(Gauge gauge)
    {
        _gauge = gauge;
        _gauge.Rose += OnRose;
        Horn.Blown += OnBlown;
    }

    public IReadOnlyList<string> Lines => _lines;

    public void Dispose()
    {
        _gauge.Rose -= OnRose;
        _gauge.RanDry -= (_, _) => _lines.Clear();
    }

    private void OnRose(object? sender, int cm) => _lines.Add($"{cm} cm");

    private void OnBlown(string why) => _lines.Add($"horn: {why}");
}

public sealed class DayCrew : ICrew
{
    private int _boats;

    public bool Called(string boat)
    {
        Console.WriteLine($"the day's crew takes {boat}");
        return ++_boats < 8;
    }
}

public static class Flight
{
    public static void Main()
    {
        var gauge = new Gauge();
        foreach (var cm in new[] { 120, 310, 0 })
        {
            using var board = new KeeperBoard(gauge);
            gauge.Read(cm);
            if (cm > 300) Horn.Blow("weir");
            Console.WriteLine(string.Join(", ", board.Lines));
        }

        var plan = new LockPlan();
        plan.Changed += p => Console.WriteLine($"next is {p.Next}, {p.Waiting} wait");
        plan.Join(new DayCrew());
        var office = new LockOffice(plan);
        office.Announce("Ada");
        office.Swap("Grebe");
        plan.Call(plan.Next);
        office.Passed();
    }
}
