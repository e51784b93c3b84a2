#nullable enable
using System;
using System.Collections.Generic;

namespace Marlwend;

public interface ICrew
{
    /// <summary>Whether the crew stays for the next boat.</summary>
    bool Called(string boat);
}

/// <summary>Which boat goes through next, and who is called for it. Whoever changes the plan says so when done.</summary>
public sealed class LockPlan
{
    private readonly List<ICrew> _crews = new();

    public List<ICrew> Crews => _crews;

    public string Next { get; set; } = "";
    public int Waiting { get; set; }

    public event Action<LockPlan>? Changed;

    public void Join(ICrew crew) => _crews.Add(crew);

    public void Leave(ICrew crew) => _crews.Remove(crew);

    public void Settle() => Changed?.Invoke(this);

    public void Call(string boat)
    {
        foreach (var crew in _crews)
        {
            if (!crew.Called(boat)) _crews.Remove(crew);
        }
    }
}

public sealed class LockOffice
{
    private readonly LockPlan _plan;

    public LockOffice(LockPlan plan) => _plan = plan;

    public void Announce(string boat)
    {
        _plan.Next = boat;
        _plan.Waiting++;
        _plan.Settle();
    }

    public void Passed()
    {
        _plan.Waiting--;
        _plan.Settle();
    }

    public void Swap(string boat) => _plan.Next = boat;
}
