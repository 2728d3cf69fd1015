using UnityEngine;

/// <summary>Lifts the water with the tide; one day takes a minute.</summary>
public class TideWave : MonoBehaviour
{
    [SerializeField] private float range = 1.8f;

    private void Update()
    {
        float phase = Time.time / 60f * 2f * Mathf.PI;
        transform.localPosition = Vector3.up * range * Mathf.Cos(phase * 2f);
    }
}
